import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import type { Binding, BoxNow, Hands, HandsNow, SignalShown } from "@/api/types";
import { serve, show } from "@/test/helpers";

import { HandsPage } from "./hands-page";

class Line {
  static all: Line[] = [];
  static readonly OPEN = 1;
  readyState = 1;
  sent: unknown[] = [];
  onmessage?: (e: { data: string }) => void;
  onclose?: () => void;
  constructor() {
    Line.all.push(this);
  }
  send(text: string) {
    this.sent.push(JSON.parse(text));
  }
  close() {
    this.readyState = 3;
  }
  tell(what: object) {
    act(() => this.onmessage?.({ data: JSON.stringify(what) }));
  }
}

const box: BoxNow = {
  name: "Nine pads",
  shape: "pads",
  across: 3,
  controls: [
    { name: "Pad 1", status: 0x99, number: 36, light: null },
    { name: "Pad 2", status: 0x99, number: 37, light: 127 },
  ],
};
const now: HandsNow = {
  ports: [{ name: "Old pedal", kind: "gone", into: false, out: false, heard_s: null, flood: false }],
  pages: {},
  trying: false,
  band: "b",
  read: 1,
  keys: { page: [], machine: [] },
  boxes: [box],
  plugged: false,
};
const control = (number: number) => ({ port: "Nine pads", kind: "note" as const, channel: 10, number, key: "" });
const signal = (number: number): SignalShown => ({
  control: control(number),
  value: 100,
  down: true,
  binding: null,
  press: null,
  args: {},
});
const binding = (number: number, more: Partial<Binding> = {}): Binding => ({
  id: `b${number}`,
  control: control(number),
  does: { kind: "press", press: "once_more", args: {} },
  long: null,
  hold: null,
  threshold: 1,
  opens: false,
  encoding: "absolute",
  song: null,
  page: null,
  ...more,
});
const hands = (...bindings: Binding[]): Hands => ({
  bindings,
  held: bindings.filter((b) => b.hold).map((b) => b.id),
  lights: [],
  troubles: [],
  sections: {},
  can_undo: false,
  can_redo: false,
});

async function page(kept: Hands, answer: (asked: unknown) => Hands = () => kept, feeds: object[] = []) {
  const asked = serve({
    "GET hands/": kept,
    "GET feeds/": feeds,
    "GET songs/": [],
    "GET hand-sounds/": [],
    "GET voice/": { palette: ["Hold"] },
    "POST hands/bindings/": (body: unknown) => answer(body),
  });
  show(<HandsPage port={1} />);
  await screen.findByRole("heading", { name: "Hands" });
  const line = Line.all.at(-1) as Line;
  line.tell({ hands: now });
  return { line, asked };
}

describe("hands", () => {
  beforeEach(() => {
    Line.all = [];
    vi.stubGlobal("WebSocket", Line);
  });
  afterEach(() => vi.unstubAllGlobals());

  it("learns a control in two presses: the pad, then what it does", async () => {
    const made: unknown[] = [];
    const { line } = await page(hands(), (asked) => {
      made.push((asked as { body: unknown }).body);
      return hands(binding(36, { does: { kind: "press", press: "go", args: {} } }));
    });
    line.tell({ signals: [signal(36)] });
    expect(screen.getByText("Pad 1 of Nine pads")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Go" }));
    await waitFor(() => expect(screen.getByText("Does: Go")).toBeTruthy());
    expect(made).toEqual([
      {
        binding: { control: control(36), does: { kind: "press", press: "go", args: {} }, page: null },
        take_over: false,
      },
    ]);
  });

  it("learns the other way round, and asks where the pad does something already", async () => {
    const made: unknown[] = [];
    const { line } = await page(hands(binding(37)), (asked) => {
      made.push((asked as { body: unknown }).body);
      return hands(binding(37, { does: { kind: "press", press: "stop", args: {} } }));
    });
    await userEvent.click(screen.getByRole("button", { name: "Stop" }));
    expect(screen.getByRole("status").textContent).toMatch(/Now press the control that does this: Stop/);
    line.tell({ signals: [signal(37)] });
    expect(screen.getByRole("alert").textContent).toMatch(/Pad 2 does “Once more” already\./);
    expect(made).toEqual([]);
    await userEvent.click(screen.getByRole("button", { name: "Leave it" }));
    expect(screen.getByText("Does: Once more")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Stop" }));
    await userEvent.click(screen.getByRole("button", { name: "Take it over" }));
    await waitFor(() => expect(screen.getByText("Does: Stop")).toBeTruthy());
    expect(made).toMatchObject([{ take_over: true, binding: { does: { press: "stop" }, page: null } }]);
  });

  it("gives a fader a level, the tone of a feed that has one, or what a stem goes through by its place", async () => {
    const made: unknown[] = [];
    const fader = { ...control(16), kind: "controller" as const, channel: 1 };
    const feeds = [
      { id: "t", name: "Tent", tone: { low_db: 2 } },
      { id: "m", name: "Monitor", tone: null },
    ];
    const { line } = await page(
      hands(),
      (asked) => {
        made.push((asked as { body: { binding: { does: unknown } } }).body.binding.does);
        return hands();
      },
      feeds,
    );
    line.tell({ signals: [{ ...signal(16), control: fader }] });
    expect(await screen.findByRole("button", { name: "Level of Tent, lows" })).toBeTruthy();
    expect(screen.queryByRole("button", { name: "Level of Monitor, lows" })).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Level of Tent, lows" }));
    line.tell({ signals: [{ ...signal(16), control: fader }] });
    await userEvent.selectOptions(screen.getByLabelText("What of the stem"), "low_sweep");
    fireEvent.change(screen.getByLabelText("Which stem"), { target: { value: "3" } });
    await userEvent.click(screen.getByRole("button", { name: "Low sweep of stem 3 of the song" }));
    await waitFor(() =>
      expect(made).toEqual([
        { kind: "level", part: "low:t" },
        { kind: "bank", bank: "stems", place: 2, when: "section_end", of: "low_sweep" },
      ]),
    );
  });

  it("presses a simulated box by finger and by key, and lets it go", async () => {
    const { line } = await page(hands());
    const pad = screen.getByRole("button", { name: /^Pad 2/ });
    Element.prototype.setPointerCapture = () => {};
    fireEvent.pointerDown(pad, { button: 0, pointerId: 1 });
    fireEvent.pointerUp(pad);
    fireEvent.keyDown(pad, { key: "Enter" });
    fireEvent.keyDown(pad, { key: "Enter", repeat: true });
    fireEvent.keyUp(pad, { key: "Enter" });
    const [down, up] = [127, 0].map((value) => ({ box: "Nine pads", data: [0x99, 37, value] }));
    expect(line.sent).toEqual([down, up, down, up]);
  });

  it("says which port is missing, when another band has the ports, and when contact is lost", async () => {
    const { line } = await page(hands(binding(1, { control: { ...control(1), port: "Old pedal" } })));
    const card = screen.getByRole("region", { name: "Old pedal" });
    expect(within(card).getByText(/not plugged in/)).toBeTruthy();
    line.tell({ other: true });
    expect(screen.getByRole("status").textContent).toMatch(/Another band’s show/);
    act(() => line.onclose?.());
    expect(screen.getByRole("status").textContent).toMatch(/No contact/);
  });

  it("tries hands without sound, and sends the keys of the page", async () => {
    const { line } = await page(hands());
    await userEvent.click(screen.getByRole("button", { name: "Try it without sound" }));
    fireEvent.keyDown(document.body, { key: "PageDown" });
    fireEvent.keyDown(document.body, { key: "PageDown", repeat: true });
    fireEvent.keyUp(document.body, { key: "PageDown" });
    expect(line.sent).toMatchObject([{ try: true }, { key: "PageDown", down: true }, { key: "PageDown", down: false }]);
    line.tell({ hands: { ...now, trying: true } });
    expect(screen.getByText(/Nothing that is pressed now reaches the stage/)).toBeTruthy();
  });

  it("hears the MIDI of its own device once that is allowed, and the next time without asking", async () => {
    const input = {
      name: "Small keys",
      id: "1",
      state: "connected",
      onmidimessage: null as ((e: object) => void) | null,
    };
    const lit: number[][] = [];
    const output = { name: "Small keys", id: "2", send: (data: number[]) => lit.push(data) };
    const access = { inputs: new Map([["1", input]]), outputs: new Map([["2", output]]), onstatechange: null };
    vi.stubGlobal("navigator", { requestMIDIAccess: () => Promise.resolve(access) });
    localStorage.removeItem("page-midi");
    const { line } = await page(hands());
    await userEvent.click(screen.getByRole("button", { name: "Hear MIDI of this device" }));
    await screen.findByText("This page hears: Small keys");
    act(() => input.onmidimessage?.({ data: new Uint8Array([0x90, 60, 100]) }));
    act(() => input.onmidimessage?.({ data: new Uint8Array([0xf8]) }));
    expect(line.sent).toMatchObject([
      { port: "Small keys", data: [], out: true },
      { port: "Small keys", data: [0x90, 60, 100] },
    ]);
    line.tell({ out: { port: "Small keys", data: [0x90, 60, 127] } });
    line.tell({ out: { port: "Another", data: [0x90, 60, 1] } });
    expect(lit).toEqual([[0x90, 60, 127]]);
    expect(localStorage.getItem("page-midi")).toBe("yes");
    localStorage.removeItem("page-midi");
  });
});
