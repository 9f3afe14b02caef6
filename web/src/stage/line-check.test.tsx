import { act, render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Around, described, playing, serve, socketShown } from "@/test/helpers";

import { DeskPage, inDeskOrder } from "./desk-page";
import type { Playing } from "./engine-state";
import { LineCheckPage } from "./line-check-page";

/** The stage's server, as far as these pages know it. */
class Server {
  static now: Server;
  static readonly OPEN = 1;
  readyState = 1;
  sent: Record<string, unknown>[] = [];
  onopen?: () => void;
  onmessage?: (e: { data: string }) => void;
  constructor() {
    Server.now = this;
  }
  send(text: string) {
    this.sent.push(JSON.parse(text) as Record<string, unknown>);
  }
  close() {
    this.readyState = 3;
  }
  tell(what: object) {
    act(() => this.onmessage?.({ data: JSON.stringify(what) }));
  }
  get pressed() {
    return this.sent.filter((m) => "press" in m).map((m) => [m.press, m.args]);
  }
}

const sockets = [
  socketShown(1, { label: "Desk left", desk: "22" }),
  socketShown(2, {
    label: "Desk right",
    desk: "21",
    carries: [{ feed: "h", name: "House", kind: "house", side: "right" }],
  }),
  socketShown(3, { printed: "Phones", headphones: true }),
  socketShown(4, { use: "kept" }),
];
const at = (number: number, name: string, headphones = false) => ({ number, name, headphones });
const on = (more: Partial<NonNullable<Playing["line_check"]>> = {}): Partial<Playing> => ({
  status: "standby",
  line_check: {
    socket: at(2, "Desk right"),
    kind: "tone",
    db: -30,
    every_s: 0,
    following: at(3, "Phones", true),
    ...more,
  },
});

beforeEach(() => {
  vi.stubGlobal("WebSocket", Server);
  vi.stubGlobal("requestAnimationFrame", (f: () => void) => (f(), 1));
  serve({ "GET shows/": [] });
});
afterEach(() => vi.unstubAllGlobals());

function opened(page: React.ReactNode, state: Partial<Playing>) {
  render(<Around>{page}</Around>);
  Server.now.tell({ described: described({ sockets }) });
  Server.now.tell({ state: playing(state) });
  return Server.now;
}

describe("the line check", () => {
  it("begins with what was chosen, and goes straight to a socket", async () => {
    const server = opened(<LineCheckPage port={1} />, { status: "standby" });
    expect(screen.getByText(/begins at −30 dBFS/)).toBeTruthy();
    await userEvent.click(screen.getByRole("radio", { name: "Noise" }));
    await userEvent.click(screen.getByRole("radio", { name: "after 6 s" }));
    await userEvent.click(screen.getByRole("button", { name: "Begin" }));
    await userEvent.click(screen.getByRole("button", { name: /^2Desk right/ }));
    expect(server.pressed).toEqual([
      ["check_line", { kind: "noise", every_s: 6 }],
      ["check_line", { kind: "noise", every_s: 6, socket: 2 }],
    ]);
    expect(screen.getByRole("button", { name: /^4/ })).toHaveProperty("disabled", true);
  });
  it("says where it is, that headphones are next, and goes on, back, louder, and ends", async () => {
    const server = opened(<LineCheckPage port={1} />, on());
    expect(screen.getByText("a tone of 1 kHz, −30 dBFS")).toBeTruthy();
    expect(screen.getByText("Next: 3, Phones. Headphones: off the ears!")).toBeTruthy();
    for (const name of ["Onwards", "Back", "3 dB louder", "3 dB softer", "End"])
      await userEvent.click(screen.getByRole("button", { name }));
    await userEvent.click(screen.getByRole("radio", { name: "Number" }));
    expect(server.pressed).toEqual([
      ["check_next", { by: 1 }],
      ["check_next", { by: -1 }],
      ["check_level", { db: -27 }],
      ["check_level", { db: -33 }],
      ["check_end", {}],
      ["check_line", { kind: "voice", every_s: 0 }],
    ]);
  });
  it("is not offered while a song plays, and says why", () => {
    const why = { code: "line-check-playing", message: "A song is playing: the line check waits until it is over." };
    opened(<LineCheckPage port={1} />, { unavailable: { check_line: why } });
    expect(screen.getByText(why.message)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Begin" })).toHaveProperty("disabled", true);
  });
  it("says that a press was refused", () => {
    const server = opened(<LineCheckPage port={1} />, on());
    server.tell({ answer: { ok: true, accepted: false, message: "This is the first socket." }, id: 1 });
    expect(screen.getByText("This is the first socket.")).toBeTruthy();
  });
});

describe("the desk stand-in", () => {
  it("shows its channels in their order, labelled as wired, each with its level", () => {
    opened(<DeskPage port={1} />, { peak: [0.5, 0, 0, 0] });
    const channels = within(screen.getByRole("list", { name: "Channels" })).getAllByRole("listitem");
    expect(channels.map((c) => c.textContent)).toEqual([
      expect.stringMatching(/^Channel 21socket 2Desk rightHouse R/),
      expect.stringMatching(/^Channel 22socket 1Desk leftnothing−6\.0/),
      expect.stringMatching(/^Socket 3no channelPhones/),
      expect.stringMatching(/^Socket 4no channel.*kept for another program/),
    ]);
  });
  it("lets any channel be heard here, one at a time", async () => {
    class Context {
      destination = {};
      audioWorklet = { addModule: () => Promise.resolve() };
      resume = () => Promise.resolve();
      close = () => Promise.resolve();
    }
    class Node {
      port = { postMessage: vi.fn() };
      connect = vi.fn();
    }
    vi.stubGlobal("AudioContext", Context);
    vi.stubGlobal("AudioWorkletNode", Node);
    const server = opened(<DeskPage port={1} />, {});
    await userEvent.click(screen.getByRole("button", { name: "Hear socket 2" }));
    await userEvent.click(await screen.findByRole("button", { name: "Heard: stop hearing socket 2" }));
    expect(server.sent.filter((m) => "listen" in m)).toEqual([{ listen: "socket:2" }, { listen: null }]);
  });
  it("puts channels with words where they belong", () => {
    const of = (desk: string, number: number) => socketShown(number, { desk });
    const order = inDeskOrder([of("", 1), of("Stage 12", 2), of("3", 3), of("keys", 4), of("", 5)]);
    expect(order.map((s) => s.number)).toEqual([3, 2, 1, 4, 5]);
  });
});
