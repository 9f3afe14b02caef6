import { fireEvent, render, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { StemNow } from "@/api/types";
import { described, entryShown, playing, serve, show, socketShown, tonight } from "@/test/helpers";

import { BarStrip } from "./bar-strip";
import { NextUp } from "./next-up";
import { NoShow } from "./no-show";
import { tonights } from "./endings";
import { Now } from "./now";
import { Road } from "./road";
import { SectionHand } from "./section-hand";
import { SectionSaid } from "./section-said";
import { StageOrder } from "./stage-order";
import { StageSide } from "./stage-side";
import { StemsNow } from "./stems-now";
import { WhenChoice } from "./when-choice";

const entry = entryShown();
const when = "next_bar" as const;
const position = (more: object) => ({ ...playing().position, ...more });

describe("where we are", () => {
  it("shows the section, bar and beat, and how far it is", () => {
    render(<Now entry={entry} state={playing()} />);
    expect(screen.getByTestId("section")).toHaveProperty("textContent", "Verse");
    expect(screen.getByTestId("bar-beat").textContent).toBe("6.2");
    expect(screen.getByText("2 bars 3 beats")).toBeTruthy();
    expect(screen.getByText(/round 3 of the vamp/)).toBeTruthy();
    expect(screen.getByText("to the repeat")).toBeTruthy();
  });
  it("says the count-in, and not a section, while it counts", () => {
    render(
      <Now entry={entry} state={playing({ status: "count_in", position: position({ counting: true, bar: 0 }) })} />,
    );
    expect(screen.getByTestId("section").textContent).toBe("Count-in");
    expect(screen.queryByText(/bars$/)).toBeNull();
  });
  it.each([
    ["standby", "Paper Boats stands by"],
    ["stopped", "Paper Boats, stopped"],
    ["finished", "The show is over"],
  ] as const)("says it when it is %s", (status, words) => {
    render(<Now entry={entry} state={playing({ status, coming: null })} />);
    expect(screen.getByText(words)).toBeTruthy();
  });
  it("shows an uneven metre with its groups", () => {
    render(<Now entry={entry} state={playing({ position: position({ step: 1 }) })} />);
    expect(screen.getByText(/7\/8 \(2\+2\+3\)/)).toBeTruthy();
  });
  it("counts the bars of the section it is in, and no others", () => {
    render(<BarStrip entry={entry} state={playing({ position: position({ step: 1, bar: 10 }) })} />);
    const bars = screen.getAllByRole("listitem");
    expect(bars.map((b) => b.textContent)).toEqual(["9F♯m", "10", "11", "12", "13", "14", "15", "16"]);
    expect(bars[1]?.getAttribute("aria-current")).toBe("true");
  });
  it("has the chords of its bars, and behind its last the first of the section that comes", () => {
    const six = entryShown();
    six.steps = six.steps.map((s, i) =>
      i === 0 ? { ...s, bars: 6, ending: { kind: "attacca" as const, times: 1 } } : s,
    );
    six.steps[1] = { ...six.steps[1]!, first_bar: 9 };
    six.chords = [{ bar: 5, text: "Bb D7" }, { bar: 9, text: "F#m" }]; // prettier-ignore
    const coming = { step: 1, frame: 0, bar: 7, asked: null, when: "section_end" as const, call: null };
    render(<BarStrip entry={six} state={playing({ position: position({ bar: 5 }), coming })} />);
    const bars = screen.getAllByRole("listitem").map((b) => b.textContent);
    expect(bars.slice(4)).toEqual(["5B♭ D7", "6", "BF♯m", "8"]);
  });
  it("shows the words of the section in place of the stems", () => {
    const step = { ...entry.steps[0]!, words: "Row [D]on", note: "Softly" };
    render(<SectionSaid step={step} />);
    expect(screen.getByText("Softly")).toBeTruthy();
    expect(screen.getByText("D").tagName).toBe("B");
  });
});

describe("what comes", () => {
  it("is what was asked for, and can be taken back", async () => {
    const press = vi.fn();
    const state = playing({ coming: { step: 1, frame: 0, bar: 9, asked: "release", when: "section_end", call: null } });
    render(
      <NextUp
        entry={entry}
        entries={[entry]}
        state={state}
        said={{ text: "Chorus comes at bar 9.", bad: false, at: 1 }}
        {...{ when, press }}
      />,
    );
    expect(screen.getByText("Chorus")).toBeTruthy();
    expect(screen.getByText("released: comes at bar 9")).toBeTruthy();
    expect(screen.getByRole("status").textContent).toBe("Chorus comes at bar 9.");
    await userEvent.click(screen.getByRole("button", { name: /Take it back/ }));
    expect(press).toHaveBeenCalledExactlyOnceWith("take_back");
  });
  it("cannot be taken back where nobody asked", () => {
    render(<NextUp entry={entry} entries={[entry]} state={playing()} said={null} {...{ when, press: vi.fn() }} />);
    expect(screen.getByRole("button", { name: /Take it back/ })).toHaveProperty("disabled", true);
  });
  it("is the next song at a fine, or the end", () => {
    const state = playing({
      position: position({ step: 1 }),
      coming: { step: null, frame: 0, bar: 17, asked: null, when: "section_end", call: null },
    });
    const { rerender } = render(
      <NextUp
        entry={entry}
        entries={[entry, entryShown({ title: "Kites" })]}
        state={state}
        said={null}
        {...{ when, press: vi.fn() }}
      />,
    );
    expect(screen.getByText("Kites")).toBeTruthy();
    rerender(<NextUp entry={entry} entries={[entry]} state={state} said={null} {...{ when, press: vi.fn() }} />);
    expect(screen.getByText("The end")).toBeTruthy();
  });
  it("is a tap on the road; what is cut cannot be tapped", async () => {
    const tap = vi.fn();
    render(
      <Road
        entry={entry}
        state={playing({ coming: { step: 1, frame: 0, bar: 9, asked: "go_to", when: "section_end", call: null } })}
        tap={tap}
      />,
    );
    await userEvent.click(screen.getByRole("button", { name: /B ?Chorus/ }));
    expect(tap).toHaveBeenCalledWith(1);
    expect(screen.getByRole("button", { name: /C ?Tag/ })).toHaveProperty("disabled", true);
    expect(screen.getByRole("button", { name: /A ?Verse/ }).getAttribute("aria-current")).toBe("step");
    expect(screen.getByText(/8 · fine · next/)).toBeTruthy();
  });
  it("says beforehand where a tap would land", async () => {
    const setWhen = vi.fn();
    render(<WhenChoice when="section_end" setWhen={setWhen} state={playing()} />);
    expect(screen.getByTestId("landing").textContent).toBe("now that is bar 9, in 3 bars");
    await userEvent.click(screen.getByRole("radio", { name: "next bar" }));
    expect(setWhen).toHaveBeenCalledWith("next_bar");
  });
});

describe("the section here and now", () => {
  it("vamps, goes on a round more, ends the song; what was set by hand is taken back by the same press", async () => {
    const press = vi.fn();
    const all = { entry, press, held: null };
    const { rerender } = render(<SectionHand {...all} state={playing()} />);
    for (const name of [/Vamp here/, /One more round/, /End after it/])
      await userEvent.click(screen.getByRole("button", { name }));
    expect(press.mock.calls).toEqual([
      ["ending_tonight", { ending: "vamp" }],
      ["more", { rounds: 1 }],
      ["ending_tonight", { ending: "fine" }],
    ]);
    const endings = [{ entry: 0, step: 0, kind: "fine" as const, times: 1 }];
    const state = playing({ tonight: { ...tonight, endings } });
    rerender(<SectionHand {...all} entry={tonights(entry, 0, state)} state={state} />);
    expect(screen.getByRole("button", { name: /End: take back/ }).getAttribute("aria-pressed")).toBe("true");
  });
});

describe("the sides of the stage", () => {
  it("shows the order, and a tap stands by while nothing plays", async () => {
    const press = vi.fn();
    render(
      <StageOrder
        intervals={[{ after: 1, minutes: 20 }]}
        entries={[entry, entryShown({ id: "f", title: "Kites" })]}
        state={playing({ status: "standby" })}
        press={press}
      />,
    );
    expect(screen.getByText("Interval, 20 min")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: /^2 ?Kites/ }));
    expect(press).toHaveBeenCalledWith("stand_by", { entry: 1 });
  });
  it("chooses the song that comes after this one while it plays, straight on if wanted", async () => {
    const press = vi.fn();
    const two = [entry, entryShown({ id: "f", title: "Kites" })];
    const { rerender } = render(<StageOrder intervals={[]} entries={two} state={playing()} press={press} />);
    await userEvent.click(screen.getByRole("button", { name: /^2 ?Kites/ }));
    const after = { entry: 1, straight_on: false };
    rerender(
      <StageOrder
        intervals={[]}
        entries={two}
        state={playing({ tonight: { ...tonight, order: [0, 1], after } })}
        press={press}
      />,
    );
    expect(screen.getByText(/stands by after this song/)).toBeTruthy();
    expect(screen.getByText("wait for go")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Straight on" }));
    expect(press.mock.calls).toEqual([
      ["play_after", { entry: 1 }],
      ["play_after", { entry: 1, straight_on: true }],
    ]);
    const on = { entry: 1, straight_on: true };
    rerender(
      <StageOrder
        intervals={[]}
        entries={two}
        state={playing({ tonight: { ...tonight, order: [0, 1], after: on } })}
        press={press}
      />,
    );
    expect(screen.getByText("attacca")).toBeTruthy();
  });
  it("follows the order of the night and tells what was played", () => {
    const two = [entry, entryShown({ id: "f", title: "Kites" })];
    const state = playing({ status: "standby", entry: 0, tonight: { ...tonight, order: [1, 0], played: [1] } });
    render(<StageOrder intervals={[]} entries={two} state={state} press={vi.fn()} />);
    const titles = screen.getAllByRole("listitem").map((row) => row.querySelector("b")?.textContent);
    expect(titles).toEqual(["Kites", "Paper Boats"]);
    expect(screen.getByLabelText("played")).toBeTruthy();
  });
  const stems: StemNow[] = [
    { id: "d", standing: "rests", prepared: "rests", level_db: 0 },
    { id: "o", standing: "sounds", prepared: "sounds", level_db: -3 },
    { id: "m", standing: "fallback", prepared: "fallback", level_db: 0 },
  ];
  const ozo = [{ id: "ozo", name: "Ozo", part: "", position: 0 }];
  const shown = () => screen.getAllByRole("listitem").map((s) => s.textContent);

  it("says of every stem what the engine says", () => {
    render(<StemsNow entry={entry} state={playing({ stems })} players={ozo} press={vi.fn()} />);
    expect(shown()).toEqual(["DrumsOzo plays", "Organ−3.0", "Mixin reserve"]);
  });
  it.each([
    ["rehearsal", "monitors alone"],
    ["pad", "between songs"],
    ["tacet", "tacet"],
    ["muted", "muted"],
    ["replaced", "full mix plays"],
    ["nobody", "covers nobody"],
  ] as const)("does not show a stem that is %s as sounding", (standing, words) => {
    const now = stems.map((s) => (s.id === "o" ? { ...s, standing } : s));
    render(<StemsNow entry={entry} state={playing({ stems: now })} players={ozo} press={vi.fn()} />);
    expect(shown()[1]).toBe(`Organ${words}`);
    expect(screen.getAllByRole("listitem")[1]?.className).toContain("dashed");
  });
  it("is told on the spot who is away, by a hold", async () => {
    const press = vi.fn();
    render(<StemsNow entry={entry} state={playing({ stems })} players={ozo} press={press} />);
    const drums = screen.getByRole("button", { name: /Drums/ });
    fireEvent.pointerDown(drums, { button: 0 });
    await waitFor(() => expect(press).toHaveBeenCalledExactlyOnceWith("player", { player: "ozo", on: false }));
  });
  it("meters every socket and pulls the house", async () => {
    const loaded = described({
      palette: ["Hold"],
      feeds: [{ id: "c", name: "Click", kind: "monitor", channels: 1, player: null, tone: false }],
      sockets: [
        socketShown(1, { label: "Desk", carries: [{ feed: "h", name: "House", kind: "house", side: "left" }] }),
        socketShown(2, { label: "Keys", use: "kept" }),
      ],
    });
    const [press, listen, why] = [vi.fn(), vi.fn(() => Promise.resolve()), vi.fn()];
    show(
      <StageSide
        show={loaded}
        entry={entry}
        state={playing()}
        press={press}
        held={null}
        listening={null}
        listen={listen}
        parts={false}
        why={why}
      />,
    );
    await userEvent.click(screen.getByRole("button", { name: /^1 ?House.*What is heard here, and why\?$/ }));
    expect(why).toHaveBeenCalledWith(1);
    const meters = within(screen.getByRole("list", { name: "Level of every socket" })).getAllByRole("listitem");
    expect(meters.map((m) => m.dataset.level)).toEqual(["-6.0", ""]);
    await userEvent.click(screen.getByRole("button", { name: /Pull the house/ }));
    await userEvent.selectOptions(screen.getByLabelText("Hear a feed in the browser"), "c");
    await userEvent.click(screen.getByRole("button", { name: /full mix/ }));
    expect(press.mock.calls).toEqual([["pull_house"], ["fallback", { on: true }]]);
    expect(listen).toHaveBeenCalledWith("c");
  });
  it("offers the shows that could be loaded, or says why there are none", async () => {
    const asked = serve({
      "GET shows/": [{ id: "t", title: "Thursday", rig_name: "Tent" }],
      "POST shows/t/load/": { show: "t" },
    });
    show(<NoShow status="empty" />);
    await userEvent.click(await screen.findByRole("button", { name: /Thursday/ }));
    expect(asked.map((a) => `${a.method} ${a.path}`)).toContain("POST shows/t/load/");
    show(<NoShow status="silent" />);
    expect(screen.getByText("The engine does not answer")).toBeTruthy();
  });
});
