import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { Grid, Strip } from "@/api/types";
import { refusal, serve, showSong, song, stem } from "@/test/helpers";

import { scaleOf, ticks } from "./scale";

const bar = (n: number, off: number | null): Grid["bars"][number] => ({
  bar: n,
  seconds: 2 * n,
  off_ms: off,
  fit_ms: off === null ? null : 1,
  sure: 0.9,
});
const proposal = (more: Partial<NonNullable<Grid["proposal"]>> = {}): NonNullable<Grid["proposal"]> => ({
  first_ms: -31,
  last_ms: -64,
  first_bar: 1,
  last_bar: 113,
  worst_after_ms: 2.1,
  typed: 126,
  heard: 126.5,
  factor: 1,
  steady: true,
  unsure: false,
  unnamed: 0,
  bar_unsure: false,
  metre: null,
  low_ms: -64,
  high_ms: -31,
  ways: ["both", "shift"],
  sentence: "",
  doubtful: [],
  ...more,
});
const grid = (more: Partial<Grid> = {}): Grid => ({
  measurement: 5,
  state: "done",
  progress: 1,
  message: "",
  stems: ["Drums"],
  bars: [bar(1, -31), bar(2, -40), bar(3, null)],
  strips: [1, 2],
  pins: [],
  tempo: [{ bar: 1, bpm: "126" }],
  heard_beats: 452,
  confidence: 0.97,
  proposal: proposal(),
  ...more,
});
const strip = (n: number): Strip => ({ bar: n, seconds: 2 * n, low: [0, -0.5], high: [0, 0.5] });
const opened = (answered: Grid | (() => unknown) = grid(), more: Record<string, unknown> = {}) => {
  const of = song({ stems: [stem("Drums"), stem("Bass")], bars: 3, tempo: [{ bar: 1, bpm: "126" }] });
  const asked = serve({
    "GET songs/s/": of, "GET songs/s/chart/*": { bars: [], calls: [], seconds: 6, form_bars: 3 }, "GET uploads/*": [], "GET songs/s/grid/*": answered,
    "POST songs/s/grid/*": answered, "GET songs/s/strips/*": [strip(1), strip(2)],
    "POST songs/s/edits/": song({ ...of, revision: 8 }), ...more,
  }); // prettier-ignore
  showSong("grid");
  return asked;
};
const edits = (asked: ReturnType<typeof serve>) =>
  asked.filter((a) => a.path.endsWith("/edits/")).map((a) => a.body as { do: string; args: unknown });

describe("the grid", () => {
  it("says how far the band is off, and takes what is proposed with one press", async () => {
    const asked = opened();
    expect(await screen.findByText("The band is −31 ms off at bar 1 and −64 ms by bar 113.")).toBeTruthy();
    expect(
      screen.getByText(/the stems say 126.50. Taken, the worst bar is 2.1 ms off. 97 % sure, 452 beats heard./),
    ).toBeTruthy();
    expect(screen.getByRole("img", { name: "2 bars heard; the farthest is 40 ms from its click." })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Set 126.50 and bar 1" }));
    await waitFor(() =>
      expect(edits(asked)).toMatchObject([{ do: "take_grid", args: { measurement: 5, how: "both", even: 0 } }]),
    );
  });
  it("draws what is taken before the server has answered, and as it was where it refuses", async () => {
    let refuse: (answer: Response) => void = () => undefined;
    opened(grid(), { "POST songs/s/edits/": () => new Promise<Response>((done) => (refuse = done)) });
    await userEvent.click(await screen.findByRole("button", { name: "Set 126.50 and bar 1" }));
    expect(screen.getByRole("img", { name: "2 bars heard; the farthest is 1 ms from its click." })).toBeTruthy();
    refuse(refusal("That cannot be played."));
    expect(
      await screen.findByRole("img", { name: "2 bars heard; the farthest is 40 ms from its click." }),
    ).toBeTruthy();
  });
  it("draws a typed tempo before the server has answered", async () => {
    opened(grid(), { "POST songs/s/edits/": () => new Promise<Response>(() => undefined) });
    const field = await screen.findByLabelText("Tempo in beats a minute");
    await userEvent.clear(field);
    await userEvent.type(field, "120{Enter}");
    // Bar 2 stood at 4 s, 2 s after bar 1; at 120 it stands 100 ms later, and its bar line is heard that much earlier.
    expect(
      await screen.findByRole("img", { name: "2 bars heard; the farthest is 140 ms from its click." }),
    ).toBeTruthy();
  });
  it("notices half the tempo, an unlikely metre, a doubtful bar one and bars that were bridged", async () => {
    const asked = opened(
      grid({
        proposal: proposal({
          factor: 2,
          typed: 76,
          heard: 152,
          metre: "9/8",
          bar_unsure: true,
          unnamed: 2,
          doubtful: [2, 3],
        }),
      }),
    );
    expect(await screen.findByText("The tempo typed is 76.00, the band plays 152.00.")).toBeTruthy();
    expect(screen.getByText(/Which beat opens the bars is not sure/)).toBeTruthy();
    expect(screen.getByText(/2 beats are played before bar 1/)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Make it 9/8" }));
    await waitFor(() => expect(edits(asked)).toMatchObject([{ do: "set_meter", args: { bar: 1, meter: "9/8" } }]));
    await userEvent.click(screen.getByRole("button", { name: "Look at bar 3" }));
    await waitFor(() => expect(asked.some((a) => a.path.includes("strips/?bars=1,2,3"))).toBe(true));
  });
  it.each([
    [grid({ state: "working", progress: 0.4, proposal: null }), "Listening to the stems …"],
    [grid({ state: "refused", message: "These stems are silent.", proposal: null }), "These stems are silent."],
    [grid({ state: "none", proposal: null }), "There are no stems to listen to: add some, or choose others."],
    [
      grid({ proposal: proposal({ unsure: true }) }),
      "No beat can be relied on in these stems: choose one that plays the beat, or place bar 1 by ear.",
    ],
    [grid({ proposal: proposal({ ways: [] }) }), "The band is under the click: the worst bar is 2.1 ms off."],
    [
      grid({ proposal: proposal({ steady: false, ways: ["follow"] }) }),
      "The band wanders between −64 and −31 ms off the click.",
    ],
  ])("says what it is doing or cannot do %#", async (answered, said) => {
    opened(answered);
    expect(await screen.findByText(said)).toBeTruthy();
  });
  it("moves by keys and by hand on a strip, to an onset, and pins a bar line", async () => {
    const asked = opened(grid(), { "GET songs/s/onset/*": { by_ms: -31.4 } });
    const line = await screen.findByRole("slider", { name: "Bar 1: −31 ms" });
    fireEvent.keyDown(line, { key: "ArrowRight" });
    fireEvent.keyDown(line, { key: "ArrowLeft", shiftKey: true });
    await waitFor(() =>
      expect(edits(asked)).toMatchObject([
        { do: "set_bar1", args: { by_ms: -1 } },
        { do: "set_bar1", args: { by_beats: 1 } },
      ]),
    );
    await userEvent.click(screen.getByRole("button", { name: "The onset before to the line of bar 1" }));
    await waitFor(() => expect(edits(asked)).toHaveLength(3));
    expect(edits(asked)[2]).toMatchObject({ do: "set_bar1", args: { by_ms: -31.4 } });
    expect(asked.some((a) => a.path === "songs/s/onset/?measurement=5&bar=1&after=false")).toBe(true);
    await userEvent.click(screen.getByRole("button", { name: "Pin bar 2 here" }));
    await waitFor(() => expect(edits(asked)[3]).toMatchObject({ do: "pin_bar", args: { bar: 2, seconds: 4 } }));
  });
  it("is tapped, halved, doubled, and shows what a refused edit says", async () => {
    const asked = opened(grid(), {
      "POST songs/tap/": { bpm: 125.98, within: 0.21 },
      "POST songs/s/edits/": () => refusal("That cannot be played."),
    });
    const tap = await screen.findByRole("button", { name: "Tap" });
    for (let i = 0; i < 3; i += 1) fireEvent.click(tap);
    await userEvent.click(await screen.findByRole("button", { name: "Take 125.98 ± 0.21" }));
    await userEvent.click(screen.getByRole("button", { name: "Half" }));
    await userEvent.click(screen.getByRole("button", { name: "Double" }));
    await waitFor(() =>
      expect(edits(asked).map((e) => e.args)).toMatchObject([{ bpm: "125.98" }, { by: 0.5 }, { by: 2 }]),
    );
    expect((await screen.findAllByText("That cannot be played.")).length).toBeGreaterThan(0);
  });
  it("listens to other stems when they are chosen", async () => {
    const asked = opened();
    await userEvent.click(await screen.findByRole("button", { name: "Listened to: Drums" }));
    const menu = within(await screen.findByRole("menu"));
    await userEvent.click(menu.getByRole("menuitemcheckbox", { name: "Bass" }));
    await waitFor(() => expect(asked.some((a) => a.path.includes("grid/?stems=Drums,Bass"))).toBe(true));
  });
});

describe("the scale of the plot", () => {
  it("holds every distance and is never finer than what nobody hears", () => {
    expect(scaleOf([bar(1, 1), bar(2, -2)])).toEqual({ top: 20, bottom: -20, step: 10 });
    const wide = scaleOf([bar(1, 2571), bar(2, null)]);
    expect(wide.top).toBeGreaterThanOrEqual(2571);
    expect(ticks(wide).length).toBeLessThan(10);
    expect(ticks(wide)).toContain(0);
  });
});
