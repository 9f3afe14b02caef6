import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { Feed, Socket } from "@/api/types";
import { CURVE_HZ } from "@/generated/core";
import { feed, refusal, rig, serve, show, socket } from "@/test/helpers";

import { FeedDialog } from "./feed-dialog";
import { OutputsPage } from "./outputs-page";
import { SocketDialog } from "./socket-dialog";

const patch = (at: string, side: "left" | "right" | "mono", socket: number) => ({
  feed: at,
  side,
  socket,
  trim_db: 0,
  delay_ms: 0,
  invert: false,
});
const feeds = [feed("h", { name: "House", kind: "house" }), feed("c", { name: "Click", channels: 1 })];
const changes = (asked: ReturnType<typeof serve>) => asked.filter((a) => a.method === "PATCH").map((a) => a.body);

describe("the board", () => {
  const opened = (more: Record<string, unknown> = {}, of = rig({ patches: [patch("h", "left", 1)] })) => {
    const asked = serve({ "GET rigs/": [of], "GET feeds/": feeds, "PATCH rigs/r/": of, ...more });
    show(<OutputsPage />, "/outputs", "/outputs");
    return asked;
  };
  it("puts a wire on a socket: one side in the hand, then the socket", async () => {
    const asked = opened();
    const jack = await screen.findByRole("button", { name: /Wire of Click, in mono/ });
    fireEvent.keyDown(jack, { key: "Enter" });
    expect(jack.getAttribute("aria-pressed")).toBe("true");
    await userEvent.click(screen.getByRole("button", { name: /Put the wire on socket 2/ }));
    expect(changes(asked)).toEqual([
      { patches: [patch("h", "left", 1), { feed: "c", side: "mono", socket: 2 }], revision: 1 },
    ]);
  });
  it("takes it off the same way, and lets it go with Escape", async () => {
    const asked = opened();
    const jack = await screen.findByRole("button", { name: /Wire of House, left/ });
    fireEvent.keyDown(jack, { key: " " });
    fireEvent.keyDown(jack, { key: "Escape" });
    expect(jack.getAttribute("aria-pressed")).toBe("false");
    fireEvent.keyDown(jack, { key: " " });
    await userEvent.click(screen.getByRole("button", { name: /Put the wire on socket 1/ }));
    expect(changes(asked)).toEqual([{ patches: [], revision: 1 }]);
  });
  it("says what the rules say", async () => {
    opened(
      { "PATCH rigs/r/": () => refusal("Socket 1 carries the house.") },
      rig({ checks: [{ state: "wrong", title: "Click would be heard", detail: "Take it out.", mend: null }] }),
    );
    expect(await screen.findByText("Click would be heard")).toBeTruthy();
    expect(screen.getByLabelText("wrong")).toBeTruthy();
    fireEvent.keyDown(screen.getByRole("button", { name: /Wire of Click/ }), { key: "Enter" });
    await userEvent.click(screen.getByRole("button", { name: /Put the wire on socket 1/ }));
    expect((await screen.findAllByText("Socket 1 carries the house.")).length).toBeGreaterThan(0);
  });
  it("says which device hears timecode at a socket", async () => {
    opened({ "GET devices/": { devices: [{ id: "f", name: "Film", kind: "timecode", socket: 2 }] } });
    expect(await screen.findByText("timecode for Film")).toBeTruthy();
  });
  it("begins with the usual feeds and a rig of its own", async () => {
    const asked = serve({
      "GET rigs/": [],
      "GET feeds/": [],
      "POST feeds/usual/": feeds,
      "POST rigs/": rig({ id: "new" }),
    });
    show(<OutputsPage />, "/outputs", "/outputs/*");
    await userEvent.click(await screen.findByRole("button", { name: "Feeds to begin with" }));
    await userEvent.click(screen.getByRole("menuitem", { name: /^House in stereo/ }));
    expect(asked.find((a) => a.path === "feeds/usual/")?.body).toEqual({ starter: "stereo" });
    expect(await screen.findByRole("button", { name: /Feed ?House/ })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "New rig" }));
    const dialog = within(screen.getByRole("dialog"));
    await userEvent.type(dialog.getByLabelText("Name of the rig"), "Hall");
    await userEvent.selectOptions(dialog.getByLabelText("Output sockets"), "10");
    await userEvent.selectOptions(dialog.getByLabelText("Headphone sockets"), "separate");
    await userEvent.click(dialog.getByRole("button", { name: "Make the rig" }));
    await waitFor(() =>
      expect(asked.find((a) => a.path === "rigs/" && a.method === "POST")?.body).toEqual({
        name: "Hall",
        position: 0,
        shape: { sockets: 10, phones: "separate" },
      }),
    );
  });
});

describe("a check", () => {
  it("is mended by its press", async () => {
    const patches = [patch("h", "mono", 1)];
    const mend = { text: "Send it in mono", patches };
    const of = rig({ checks: [{ state: "look", title: "One side is missing", detail: "Only its left.", mend }] });
    const asked = serve({ "GET rigs/": [of], "GET feeds/": feeds, "PATCH rigs/r/": of });
    show(<OutputsPage />, "/outputs", "/outputs");
    await userEvent.click(await screen.findByRole("button", { name: "Send it in mono" }));
    expect(changes(asked)).toEqual([{ patches, revision: 1 }]);
  });
});

describe("what was changed", () => {
  it("is taken back by the button and by the key, and shown as it was", async () => {
    let deleted = true;
    const asked = serve({
      "GET rigs/": [rig()],
      "GET feeds/": () => (deleted ? feeds.slice(1) : feeds),
      "GET outputs/": { can_undo: true, can_redo: false },
      "POST outputs/undo/": () => {
        deleted = false;
        return { can_undo: false, can_redo: true };
      },
      "POST outputs/redo/": { can_undo: true, can_redo: false },
    });
    show(<OutputsPage />, "/outputs", "/outputs");
    await waitFor(() => expect(screen.getByRole("button", { name: "Undo" })).toHaveProperty("disabled", false));
    fireEvent.keyDown(document.body, { key: "z", ctrlKey: true });
    expect(await screen.findByRole("button", { name: /Feed ?House/ })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Redo" }));
    expect(asked.filter((a) => a.path.startsWith("outputs/") && a.method === "POST").map((a) => a.path)).toEqual([
      "outputs/undo/",
      "outputs/redo/",
    ]);
  });
});

describe("another rig", () => {
  const thursday = { id: "s", title: "Thursday", setlist: "l", rig: "r", date: null, line_up: null, voice: "" };
  const folded = {
    rig: null,
    sockets: 2,
    kept: 1,
    patch: [
      { ...patch("c", "mono", 1), trim_db: -3 },
      { ...patch("h", "mono", 2), trim_db: 0 },
    ],
    lost: [{ code: "mono-loss", what: "x", message: "“Choir” of “Moth” is 5.1 dB softer in mono.", db: 5.1 }],
  };
  it("tells what is lost, and is taken by one press", async () => {
    const hall = rig({ id: "hall", name: "Village hall" });
    const asked = serve({
      "GET rigs/": [rig(), hall],
      "GET feeds/": feeds,
      "GET shows/": [{ ...thursday, setlist_name: "Evening", rig_name: "Rig" }],
      "POST shows/s/fold-down/": folded,
      "GET shows/s/dress-run/": {
        at: 1,
        sockets: [
          { number: 1, true_peak_dbtp: -7, entry: 1, bar: 9, carries: "Click" },
          { number: 2, true_peak_dbtp: 1.3, entry: 1, bar: 40, carries: "House" },
          { number: 3, true_peak_dbtp: null, entry: null, bar: null, carries: "" },
        ],
        entries: [{ title: "Moth" }],
      },
    });
    show(<OutputsPage />, "/outputs", "/outputs");
    expect(await screen.findByText(/Choir.* 5\.1 dB softer/)).toBeTruthy();
    const loudest = within(await screen.findByRole("region", { name: "Loudest moments" }));
    expect(loudest.getAllByRole("listitem").map((row) => row.textContent)).toEqual([
      "Socket 2: 1.3 dBTP goes over by 1.3 dB“Moth”, bar 40",
      "Socket 1: −7.0 dBTP “Moth”, bar 9",
    ]);
    await userEvent.click(screen.getByRole("button", { name: "Take a show to another rig" }));
    const dialog = within(screen.getByRole("dialog"));
    expect(dialog.queryByRole("button", { name: /Wire it so/ })).toBeNull();
    await userEvent.selectOptions(dialog.getByLabelText("Rig"), "hall");
    expect(await dialog.findByRole("row", { name: "1 Click −3.0 dB" })).toBeTruthy();
    expect(dialog.getByText("1 wire that was drawn there by hand stays.")).toBeTruthy();
    await userEvent.click(dialog.getByRole("button", { name: "Wire it so, and play “Thursday” on it" }));
    expect(await screen.findByText("“Thursday” is played on Village hall now.")).toBeTruthy();
    expect(asked.map((a) => a.body)).toContainEqual({ rig: "hall", take: true });
  });
});

describe("a feed", () => {
  it("takes sources in and out, and other feeds but never itself", async () => {
    const asked = serve({ "PATCH feeds/c/": feeds[1] });
    show(
      <FeedDialog
        feed={{ ...(feeds[1] as (typeof feeds)[1]), sends: [{ source: "click", gain_db: -6, before: false }] }}
        feeds={feeds}
        why={vi.fn()}
        onClose={vi.fn()}
      />,
    );
    await userEvent.click(screen.getByRole("checkbox", { name: "House" }));
    expect(screen.queryAllByRole("checkbox", { name: "Click" })).toHaveLength(1);
    await userEvent.click(screen.getByRole("checkbox", { name: "Click" }));
    const level = screen.getByLabelText("Level of Click in dB");
    await userEvent.clear(level);
    await userEvent.type(level, "−9,5{Enter}");
    await userEvent.selectOptions(screen.getByLabelText("Who hears it"), "house");
    expect(changes(asked)).toEqual([
      {
        sends: [
          { source: "click", gain_db: -6, before: false },
          { source: "feed:h", gain_db: 0 },
        ],
      },
      { sends: [] },
      { sends: [{ source: "click", gain_db: -9.5, before: false }] },
      { kind: "house" },
    ]);
  });
});

describe("the tone of a feed", () => {
  const tone = { low_cut_hz: 80, low_db: -4, mid_db: -2, mid_hz: 250, high_db: 0, high_cut_hz: null };

  it("is chosen by what it is for, changed figure by figure and taken away", async () => {
    const asked = serve({ "GET players/": [], "PATCH feeds/h/": feeds[0] });
    const of = { ...(feeds[0] as Feed), tone, tone_curve: CURVE_HZ.map((hz) => (hz < 80 ? -12 : 1)) };
    show(<FeedDialog feed={of} feeds={feeds} why={vi.fn()} onClose={vi.fn()} />);
    expect(screen.getByRole("img", { name: /^How loud each frequency is, from −12.* to .?1.* dB$/ })).toBeTruthy();
    const purpose = screen.getByLabelText("For what");
    expect(purpose).toHaveProperty("value", "less_boom");
    await userEvent.clear(screen.getByLabelText("Low cut, Hz"));
    await userEvent.tab();
    await userEvent.selectOptions(purpose, "telephone");
    await userEvent.selectOptions(purpose, "as it is");
    expect(changes(asked)).toEqual([
      { tone: { ...tone, low_cut_hz: null } },
      { tone: expect.objectContaining({ low_cut_hz: 400, high_cut_hz: 3000 }) as unknown },
      { tone: null },
    ]);
  });
  it("has a ceiling, or none", async () => {
    const asked = serve({ "GET players/": [], "PATCH feeds/h/": feeds[0] });
    show(<FeedDialog feed={{ ...(feeds[0] as Feed), ceiling_db: -3 }} feeds={feeds} why={vi.fn()} onClose={vi.fn()} />);
    const ceiling = screen.getByLabelText("Ceiling, dBTP");
    expect(ceiling).toHaveProperty("value", "−3.0");
    await userEvent.clear(ceiling);
    await userEvent.type(ceiling, "-1{Enter}");
    await userEvent.clear(ceiling);
    await userEvent.tab();
    expect(changes(asked)).toEqual([{ ceiling_db: -1 }, { ceiling_db: null }]);
  });
});

describe("the mix of a player", () => {
  it("has more of what stands in for them by one press, and tells why it is heard by another", async () => {
    const ozo = { id: "ozo", name: "Ozo", part: "drums", position: 0 };
    const own = { ...(feeds[1] as (typeof feeds)[1]), player: "ozo" };
    const asked = serve({ "GET players/": [ozo], "POST feeds/c/more-me/": own });
    const why = vi.fn();
    show(<FeedDialog feed={own} feeds={feeds} why={why} onClose={vi.fn()} />);
    await userEvent.click(await screen.findByRole("button", { name: "More of Ozo" }));
    await userEvent.click(screen.getByRole("button", { name: "Why don’t I hear it?" }));
    expect(asked.map((a) => `${a.method} ${a.path}`)).toContain("POST feeds/c/more-me/");
    expect(why).toHaveBeenCalled();
  });
});

describe("a socket", () => {
  it("makes a pair as usual, with another one, or with none", async () => {
    const asked = serve({ "PATCH rigs/r/": rig() });
    const of = rig({ sockets: [1, 2, 3].map((number) => socket(number)) });
    show(<SocketDialog socket={of.sockets[1] as Socket} rig={of} feeds={feeds} onClose={vi.fn()} />);
    const pair = screen.getByLabelText("Makes a pair with");
    expect(
      within(pair)
        .getAllByRole("option")
        .map((o) => o.textContent),
    ).toEqual(["socket 1, as usual", "socket 1", "socket 3", "none: it stands alone"]);
    await userEvent.selectOptions(pair, "socket 3");
    await userEvent.selectOptions(pair, "none: it stands alone");
    const pairs = (changes(asked) as { sockets: Socket[] }[]).map((c) => c.sockets.map((s) => s.pair));
    expect(pairs).toEqual([[0, 3, 0], [0, 2, 0]]); // prettier-ignore
  });
  it("is labelled, kept, and gives all its wires one delay", async () => {
    const asked = serve({ "PATCH rigs/r/": rig() });
    const of = rig({ patches: [patch("h", "left", 1), patch("c", "mono", 1), patch("h", "right", 2)] });
    show(<SocketDialog socket={of.sockets[0] as (typeof of.sockets)[0]} rig={of} feeds={feeds} onClose={vi.fn()} />);
    const delay = screen.getByLabelText(/^Delay/);
    await userEvent.clear(delay);
    await userEvent.type(delay, "4{Enter}");
    await userEvent.click(screen.getByRole("checkbox", { name: "kept for another program" }));
    await userEvent.click(screen.getAllByRole("checkbox", { name: "polarity flipped" })[1] as HTMLElement);
    const [first, second, third] = changes(asked) as {
      patches?: { delay_ms: number; invert: boolean }[];
      sockets?: { use: string }[];
    }[];
    expect(first?.patches?.map((p) => p.delay_ms)).toEqual([4, 4, 0]);
    expect(second?.sockets?.map((s) => s.use)).toEqual(["kept", "free"]);
    expect(third?.patches?.map((p) => p.invert)).toEqual([false, true, false]);
  });
});
