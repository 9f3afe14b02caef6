import { fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import type { Described } from "@/api/types";
import { entryShown, playing, serve, show, socketShown, song } from "@/test/helpers";

import type { Playing } from "../engine-state";
import { FireNow } from "./fire-now";
import { KeepLevels } from "./keep-levels";
import { levelAt, placeOf } from "./parts";
import { PartsView } from "./parts-view";
import { SayNow } from "./say-now";

const stem = (id: string, name: string) => ({ id, name, purpose: "always", covers: null, gain_db: -2, through: [] });
const entry = entryShown({ stems: [stem("d", "Drums"), stem("o", "Organ"), stem("f", "Full mix")] });
const shown: Described = {
  show: "x",
  title: "T",
  slot: null,
  intervals: [],
  sample_rate: 48000,
  entries: [entry],
  away: [],
  palette: ["Hold", "Build"],
  devices: [],
  hand_sounds: [
    { id: "g", name: "Gong", song: null, again: "from_top", only: "" },
    { id: "t", name: "Thunder", song: "s", again: "off", only: "" },
    { id: "x", name: "Bell", song: "another", again: "off", only: "" },
  ],
  feeds: [{ id: "h", name: "House", kind: "house", channels: 2, player: null, tone: false }],
  sockets: [socketShown(1, { carries: [{ feed: "h", name: "House", kind: "house", side: "left" }] })],
};
const stems: Playing["stems"] = [
  { id: "d", standing: "sounds", prepared: "sounds", level_db: 0 },
  { id: "o", standing: "tacet", prepared: "tacet", level_db: 0 },
  { id: "f", standing: "fallback", prepared: "fallback", level_db: 0 },
];
const byHand = (part: string, more: object = {}) => ({ part, db: 0, on: null, alone: false, waiting: null, ...more });

const press = vi.fn();
const listen = vi.fn();
const why = vi.fn();
const view = (more: Partial<Playing> = {}) => (
  <PartsView
    show={shown}
    entry={entry}
    state={playing({ stems, ...more })}
    players={[]}
    press={press}
    listening={null}
    listen={listen}
    why={why}
  />
);
const row = (name: string) =>
  within(screen.getAllByRole("listitem").find((li) => within(li).queryByText(name, { selector: "b" })) as HTMLElement);

beforeEach(() => void vi.clearAllMocks());
afterEach(() => vi.unstubAllGlobals());

describe("parts by hand", () => {
  it("come in and go out when it is said, over so many beats", async () => {
    render(view());
    await userEvent.click(screen.getByRole("radio", { name: "4 beats" }));
    await userEvent.click(row("Drums").getByRole("button", { name: "Drums is in: take it out" }));
    await userEvent.click(screen.getByRole("radio", { name: "at the section’s end" }));
    await userEvent.click(row("Organ").getByRole("button", { name: "Organ is out: bring in" }));
    expect(press.mock.calls).toEqual([
      ["in_out", { part: "stem:d", on: false, when: "next_bar", beats: 4 }],
      ["in_out", { part: "stem:o", on: true, when: "section_end", beats: 4 }],
    ]);
  });
  it("are asked to be as prepared where that is what is wanted", async () => {
    const out = stems.map((s) => (s.id === "d" ? { ...s, standing: "out" as const } : s));
    render(view({ stems: out, parts: [byHand("stem:d", { on: false })] }));
    await userEvent.click(row("Drums").getByRole("button", { name: /bring in/ }));
    expect(press).toHaveBeenCalledExactlyOnceWith("in_out", { part: "stem:d", when: "next_bar", beats: 0 });
  });
  it("say at which bar they will, and take it back by the same press", async () => {
    render(view({ parts: [byHand("stem:d", { waiting: { on: false, bar: 47 } })] }));
    const waits = row("Drums").getByRole("button", { name: "out at 47: Drums, take back what was asked for" });
    expect(waits.textContent).toBe("out at 47");
    await userEvent.click(waits);
    expect(press).toHaveBeenCalledExactlyOnceWith("in_out", { part: "stem:d", on: false, when: "next_bar", beats: 0 });
  });
  it("say why a full mix cannot come in beside the stems", () => {
    render(view());
    const button = row("Full mix").getByRole<HTMLButtonElement>("button", { name: /bring in/ });
    expect([button.disabled, button.title]).toEqual([true, "The full mix and the stems do not play together"]);
  });
  it("are moved by keys: a decibel, a tenth, six, off, the highest, as prepared", () => {
    render(view({ parts: [byHand("stem:d", { db: -3 })] }));
    const level = row("Drums").getByRole("slider", { name: "Level of Drums by hand" });
    expect(level.getAttribute("aria-valuetext")).toBe("−3.0 dB");
    for (const [key, shiftKey] of [["ArrowRight", false], ["ArrowLeft", true], ["PageDown", false], ["Home", false], ["End", false], ["Delete", false]] as const)
      fireEvent.keyDown(level, { key, shiftKey }); // prettier-ignore
    const part = "stem:d";
    expect(press.mock.calls.map((c) => c[1] as object)).toEqual([
      { part, by: 1 },
      { part, by: -0.1 },
      { part, by: -6 },
      { part, off: true, beats: 0 },
      { part, db: 12, beats: 0 },
      { part, db: 0, beats: 0 },
    ]);
  });
  it("are drawn by a finger and turned by the wheel", () => {
    render(view());
    const level = row("Drums").getByRole("slider");
    level.getBoundingClientRect = () => ({ left: 0, width: 100 }) as DOMRect;
    level.setPointerCapture = () => undefined;
    level.hasPointerCapture = () => true;
    fireEvent.pointerDown(level, { button: 0, clientX: 70 });
    fireEvent.pointerUp(level, { clientX: 100 });
    fireEvent.wheel(level, { deltaY: 10 });
    expect(press.mock.calls.map((c) => c[1] as object)).toEqual([
      { part: "stem:d", db: 0, beats: 0 },
      { part: "stem:d", db: 12, beats: 0 },
      { part: "stem:d", by: -1 },
    ]);
  });
  it("are heard alone, in the house too where that is asked, and feeds are heard here", async () => {
    render(view({ parts: [byHand("click", { alone: true })] }));
    await userEvent.click(row("Click").getByRole("button", { name: "Click alone" }));
    await userEvent.click(screen.getByRole("button", { name: "Alone in the house too" }));
    await userEvent.click(screen.getByRole("button", { name: "As prepared" }));
    await userEvent.click(row("House").getByRole("button", { name: "Hear House" }));
    expect(press.mock.calls).toEqual([
      ["alone", { part: "click", on: false }],
      ["alone", { part: "click", on: true, in_house: true }],
      ["as_prepared"],
    ]);
    expect(listen).toHaveBeenCalledExactlyOnceWith("h");
  });
  it("of the tone of a feed have a level without an off, and nothing else", async () => {
    const toned = { ...shown, feeds: shown.feeds.map((feed) => ({ ...feed, tone: true })) };
    render(
      <PartsView
        show={toned}
        entry={entry}
        state={playing({ stems, parts: [byHand("mid:h", { db: -3 })] })}
        players={[]}
        press={press}
        listening={null}
        listen={listen}
        why={why}
      />,
    );
    const highs = row("House, highs");
    expect(highs.queryByRole("button", { name: /alone|out|in/ })).toBeNull();
    const slider = highs.getByRole("slider");
    expect([slider.getAttribute("aria-valuemin"), slider.getAttribute("aria-valuemax")]).toEqual(["-12", "12"]);
    fireEvent.keyDown(slider, { key: "Home" });
    await userEvent.click(row("House, middle").getByRole("button", { name: /tone/ }));
    expect(press.mock.calls).toEqual([["level", { part: "high:h", db: -12, beats: 0 }]]);
    expect(why).toHaveBeenCalledExactlyOnceWith("feed:h");
    for (const db of [-12, -4.5, 0, 6, 12]) expect(levelAt(placeOf(db, "tone"), "tone")).toBeCloseTo(db, 1);
  });
  it("of a treated stem are shown where they are asked for: a sweep in per cent, an echo in or out", async () => {
    const treated = {
      ...entry,
      stems: entry.stems.map((s, i) => ({
        ...s,
        through: i === 0 ? ["low", "mid", "high", "low_sweep", "high_sweep", "echo", "gate"] : [],
      })),
    };
    const name = treated.stems[0]?.name ?? "";
    const id = treated.stems[0]?.id ?? "";
    render(
      <PartsView
        show={shown}
        entry={treated}
        state={playing({ stems, parts: [byHand(`high_sweep:stem:${id}`, { db: 40 })] })}
        players={[]}
        press={press}
        listening={null}
        listen={listen}
        why={why}
      />,
    );
    expect(row(`${name}, high sweep`).getByRole("slider").getAttribute("aria-valuetext")).toBe("40 %");
    expect(screen.queryByText(`${name}, low sweep`)).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: `Tone and echo of ${name}` }));
    fireEvent.keyDown(row(`${name}, low sweep`).getByRole("slider"), { key: "End" });
    await userEvent.click(row(`${name}, echo`).getByRole("button", { name: /take it out/ }));
    await userEvent.click(row(`${name}, high sweep`).getByRole("button", { name: /take back/ }));
    expect(row(`${name}, gate`).queryByRole("slider")).toBeNull();
    await userEvent.click(row(`${name}, gate`).getByRole("button", { name: /take it out/ }));
    expect(screen.queryByText(`${name}, drive`)).toBeNull();
    expect(press.mock.calls).toEqual([
      ["level", { part: `low_sweep:stem:${id}`, db: 100, beats: 0 }],
      ["in_out", { part: `echo:stem:${id}`, on: false, when: "next_bar", beats: 0 }],
      ["as_prepared", { part: `high_sweep:stem:${id}` }],
      ["in_out", { part: `gate:stem:${id}`, on: false, when: "next_bar", beats: 0 }],
    ]);
    for (const percent of [0, 37, 100]) expect(levelAt(placeOf(percent, "sweep"), "sweep")).toBe(percent);
  });
  it("lie on one bar with the prepared level at one place", () => {
    expect([placeOf(null), placeOf(-60), placeOf(0), placeOf(12)]).toEqual([0, 0, 0.7, 1]);
    for (const db of [-40, -12.5, -3, 0, 4, 12]) expect(levelAt(placeOf(db))).toBeCloseTo(db, 1);
    expect(levelAt(0)).toBeNull();
  });
  it("have words beside them that are said on the spot", async () => {
    render(<SayNow show={shown} press={press} />);
    await userEvent.click(screen.getByRole("button", { name: "Say Build" }));
    expect(press).toHaveBeenCalledExactlyOnceWith("say", { word: "Build" });
  });
  it("have sounds beside them: the song's own, then the band's, and those that ring can be ended", async () => {
    const own = { ...entry, song: "s" };
    const { rerender } = render(<FireNow show={shown} entry={own} state={playing()} press={press} />);
    expect(screen.getAllByRole("button").map((b) => b.textContent)).toEqual(["Thunder", "Gong"]);
    await userEvent.click(screen.getByRole("button", { name: "Fire Gong" }));
    await userEvent.click(screen.getByRole("radio", { name: "next bar" }));
    rerender(<FireNow show={shown} entry={own} state={playing({ ringing: ["t"] })} press={press} />);
    await userEvent.click(screen.getByRole("button", { name: "End Thunder", pressed: true }));
    expect(press.mock.calls).toEqual([
      ["fire", { sound: "g", when: "next_beat" }],
      ["fire", { sound: "t", when: "next_bar" }],
    ]);
  });
  it("are offered to be kept in the song once it is over, at what they came to", async () => {
    const asked = serve({ "GET songs/s/": song({ revision: 4 }), "POST songs/s/edits/": {} });
    const to_keep = [{ song: "s", title: entry.title, stem: "d", name: "Drums", db: -4, becomes: -6 }];
    const { rerender } = show(<KeepLevels state={playing({ to_keep })} />);
    expect(screen.queryByRole("button")).toBeNull();
    rerender(<KeepLevels state={playing({ to_keep, status: "finished" })} />);
    expect(screen.getByText(`Drums −4.0 dB in ${entry.title}`)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Keep them in the songs" }));
    await waitFor(() => expect(screen.queryByRole("button", { name: "Keep them in the songs" })).toBeNull());
    expect(asked.filter((a) => a.method === "POST").map((a) => a.body)).toEqual([
      { do: "set_stem", args: { stem: "d", gain_db: -6 }, revision: 4, changes: true },
    ]);
  });
});
