import { act, fireEvent, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import type { BandShow, BandState } from "@/api/types";
import { serve, show } from "@/test/helpers";

import { BandPage } from "./band-page";
import { beatNow } from "./beat-now";

const state = (more: Partial<BandState> = {}): BandState => ({
  status: "playing",
  at: 1000,
  entry: 0,
  step: 0,
  round: 1,
  bar: 3,
  beat: 2,
  beats: 4,
  phase: 0.5,
  beat_ms: 500,
  counting: false,
  song_s: 4,
  coming: { step: 1, bar: 5, asked: false, turns: false },
  following: null,
  house_pulled: false,
  mix: {},
  ...more,
});

describe("the beat between two states", () => {
  it("goes on over beats and bars by the server's clock", () => {
    expect(beatNow(state(), 1000)).toEqual({ bar: 3, beat: 2, phase: 0.5 });
    expect(beatNow(state(), 1250)).toEqual({ bar: 3, beat: 3, phase: 0 });
    expect(beatNow(state(), 2500)).toEqual({ bar: 4, beat: 1, phase: 0.5 });
    // What is told before it is heard lies a little ahead.
    expect(beatNow(state(), 900)).toMatchObject({ bar: 3, beat: 2 });
  });
  it("stands where nothing plays, and is not carried on for ever", () => {
    expect(beatNow(state({ status: "stopped" }), 9000)).toMatchObject({ bar: 3, beat: 2, phase: 0 });
    expect(beatNow(state(), 60_000)).toEqual(beatNow(state(), 3000));
    expect(beatNow(state(), undefined)).toMatchObject({ bar: 3, beat: 2, phase: 0.5 });
  });
});

class Line {
  static all: Line[] = [];
  /** Whether nothing comes back: else each ping is answered, so that the line is not taken for dead. */
  static deaf = false;
  static readonly OPEN = 1;
  readyState = 1;
  sent: Record<string, unknown>[] = [];
  onopen?: () => void;
  onmessage?: (e: { data: string }) => void;
  onclose?: () => void;
  constructor() {
    Line.all.push(this);
    queueMicrotask(() => this.onopen?.());
  }
  send(text: string) {
    const message = JSON.parse(text) as Record<string, unknown>;
    this.sent.push(message);
    if ("ping" in message && !Line.deaf) queueMicrotask(() => this.onmessage?.({ data: "{}" }));
  }
  close() {
    this.readyState = 3;
  }
  tell(what: object) {
    act(() => this.onmessage?.({ data: JSON.stringify(what) }));
  }
}

const step = (at: number, mark: string, name: string, first_bar: number) => ({
  step: at,
  section: `s${at}`,
  name,
  mark,
  colour: 2,
  first_bar,
  bars: 4,
  meter: "4/4",
  ending: "attacca",
  words: at ? "" : "Lanterns over the water",
  note: "",
});
const band: BandShow = {
  title: "Thursday",
  entries: [
    {
      song: "boats",
      title: "Paper Boats",
      key: "G",
      bpm: 120,
      unit: "1",
      steps: [step(0, "A", "Verse", 1), step(1, "B", "Lift", 5)],
      chords: [
        { bar: 3, text: "Em" },
        { bar: 5, text: "C" },
      ],
      screen: { shows: "black", film: null, steps: [] },
    },
  ],
  mixes: [{ feed: "f1", name: "Noor in-ears", player: "noor" }],
};
const phone = (more: object = {}) => ({ name: "Noor", right: "nothing", player: "noor", ...more });

async function joined(more: object = {}) {
  serve({ "GET join/": { stage_port: 1 } });
  show(<BandPage />, "/band?code=abcdef", "/band");
  await userEvent.type(await screen.findByLabelText("Your name"), "Noor");
  await userEvent.click(screen.getByRole("button", { name: "Join" }));
  await waitFor(() => expect(Line.all).toHaveLength(1));
  const line = Line.all[0] as Line;
  await waitFor(() => expect(line.sent[0]).toEqual({ join: "abcdef", name: "Noor" }));
  line.tell({ pass: "token" });
  line.tell({ phone: phone(more) });
  line.tell({ show: band });
  line.tell({ state: state() });
  return line;
}

describe("a phone in the show", () => {
  beforeEach(() => {
    Line.all = [];
    Line.deaf = false;
    localStorage.clear();
    vi.stubGlobal("WebSocket", Line);
  });
  afterEach(() => vi.unstubAllGlobals());

  it("joins by a code and shows section, bars, chords, next and words", async () => {
    await joined();
    expect(screen.getByTestId("section").textContent).toBe("Verse");
    expect(screen.getByTestId("bars-left").textContent).toBe("2");
    expect(screen.getAllByRole("listitem").map((li) => li.textContent)).toEqual(["·", "·", "Em", "·"]);
    expect(screen.getByRole("region", { name: "Next up" }).textContent).toMatch(/BLift.*next/);
    await userEvent.click(screen.getByRole("button", { name: "Words" }));
    expect(screen.getByText("Lanterns over the water")).toBeTruthy();
    expect(localStorage.getItem("band-pass")).toBe("token");
  });
  it("keeps the player's own note of a section on the phone", async () => {
    const line = await joined();
    await userEvent.click(screen.getByRole("button", { name: "Words" }));
    await userEvent.type(screen.getByLabelText("My note for Verse"), "Capo 2, come in softly");
    await userEvent.click(screen.getByRole("button", { name: "Words" }));
    expect(screen.getByText("Capo 2, come in softly")).toBeTruthy();
    expect(localStorage.getItem("band-note:boats:s0")).toBe("Capo 2, come in softly");
    line.tell({ state: state({ step: 1, bar: 5 }) });
    expect(screen.queryByText("Capo 2, come in softly")).toBeNull();
    line.tell({ state: state() });
    expect(screen.getByText("Capo 2, come in softly")).toBeTruthy();
  });
  it("says the round of a vamp, and a count-in in beats", async () => {
    const line = await joined();
    line.tell({ state: state({ coming: { step: 0, bar: 5, asked: false, turns: true } }) });
    expect(screen.getByText("bars to the end of this round")).toBeTruthy();
    expect(screen.getByText("once more, until it is let go")).toBeTruthy();
    line.tell({ state: state({ status: "count_in", counting: true, bar: 0, beat: 3 }) });
    expect(screen.getByTestId("bars-left").textContent).toBe("3");
  });
  it("says that it lost contact within a second, and comes back with its pass", async () => {
    vi.useFakeTimers({ shouldAdvanceTime: true });
    Line.deaf = true;
    const line = await joined();
    await act(() => vi.advanceTimersByTimeAsync(1000));
    expect(screen.getByRole("alert").textContent).toMatch(/No contact/);
    line.tell({ state: state() });
    expect(screen.queryByRole("alert")).toBeNull();
    act(() => line.onclose?.());
    expect(screen.getByRole("alert")).toBeTruthy();
    await act(() => vi.advanceTimersByTimeAsync(400));
    expect(Line.all[1]?.sent[0]).toEqual({ pass: "token" });
    vi.useRealTimers();
  });
  it("opens another line where the one that it has is dead without having been closed", async () => {
    vi.useFakeTimers({ shouldAdvanceTime: true });
    Line.deaf = true;
    const line = await joined();
    await act(() => vi.advanceTimersByTimeAsync(3200));
    await waitFor(() => expect(Line.all.length).toBeGreaterThan(1));
    const next = Line.all.at(-1);
    expect(next?.sent[0]).toEqual({ pass: "token" });
    expect(line.readyState).toBe(3);
    // What the dead one still says is not heard.
    next?.tell({ state: state() });
    line.tell({ state: { status: "silent" } });
    expect(screen.queryByRole("alert")).toBeNull();
    vi.useRealTimers();
  });
  it("offers what it was given and no more: sections, or its own mix", async () => {
    const line = await joined();
    expect(screen.queryByRole("button", { name: /Lift/ })).toBeNull();
    line.tell({ phone: phone({ right: "sections" }) });
    fireEvent.click(screen.getByRole("button", { name: /Lift/ }));
    expect(line.sent.at(-1)).toMatchObject({ press: "go_to", args: { step: 1 } });
    line.tell({ phone: phone({ right: "own_mix" }) });
    fireEvent.click(screen.getByRole("button", { name: "Noor in-ears louder" }));
    expect(line.sent.at(-1)).toMatchObject({ press: "level", args: { part: "feed:f1", by: 1.5 } });
    line.tell({ phone: phone({ right: "own_mix", player: "" }) });
    expect(screen.getByText(/No mix of the show belongs to you/)).toBeTruthy();
  });
  it("is out when the director says so, and after a wrong code", async () => {
    const line = await joined();
    line.tell({ out: true });
    expect(screen.getByRole("alert").textContent).toMatch(/turned this phone out/);
    expect(localStorage.getItem("band-pass")).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "Join" }));
    await waitFor(() => expect(Line.all).toHaveLength(2));
    Line.all[1]?.tell({ refused: [{ code: "code-wrong", message: "That is not the code." }] });
    expect(screen.getByRole("alert").textContent).toBe("That is not the code.");
  });
});
