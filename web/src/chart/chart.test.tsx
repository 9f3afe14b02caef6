import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";

import type { Seam, Song } from "@/api/types";
import { chordText, sign } from "@/lib/chords";
import { chartBars, openedSong, refusal, serve, song, stem } from "@/test/helpers";

import { differences } from "@/song/differences";

const chart = { bars: chartBars(16), calls: [], seconds: 32, form_bars: 16 };
const chords = [...["Em C/E", "G", "%"], ...Array<string>(13).fill("")];
const opened = (
  more: Record<string, unknown> = {},
  of: Song = song({ chords }),
  view: "chart" | "forms" | "seams" = "chart",
) =>
  openedSong(
    { "GET songs/s/": of, "GET songs/s/chart/*": chart, "POST songs/s/edits/": { ...of, revision: 8 }, ...more },
    view === "chart" ? "" : view,
  );
const edits = (asked: ReturnType<typeof serve>) =>
  asked
    .filter((a) => a.path.endsWith("/edits/"))
    .map(
      (a) =>
        (a.body as { do: string; args: unknown }) && {
          do: (a.body as { do: string }).do,
          args: (a.body as { args: unknown }).args,
        },
    );

beforeEach(() => {
  localStorage.clear();
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe() {}
      disconnect() {}
    },
  );
});

describe("chords", () => {
  it("are printed with their accidentals", () => {
    expect(["Bb", "F#m7b5", "C7(b9,#11)", "Abb", "G/Bb", "Badd9"].map(sign)).toEqual([
      "B♭",
      "F♯m7♭5",
      "C7(♭9,♯11)",
      "Abb",
      "G/B♭",
      "Badd9",
    ]);
    expect(chordText(["", ""])).toBe("");
    expect(chordText(["Em", "", "G"])).toBe("Em |  | G");
  });
  it("stand in their bars and are written over the chosen ones", async () => {
    const asked = opened();
    const bar = await screen.findByRole("button", { name: "Bar 1, Verse, 4/4, Em C/E" });
    expect(within(bar).getByText("C/E")).toBeTruthy();
    fireEvent.pointerDown(screen.getByRole("button", { name: /^Bar 2,/ }), { button: 0, pointerId: 1 });
    expect(screen.getByLabelText("Chords from bar 2")).toHaveProperty("value", "G");
    fireEvent.click(screen.getByRole("button", { name: "One bar more" }));
    const field = screen.getByLabelText("Chords in bars 2 to 3");
    expect(field).toHaveProperty("value", "G | %");
    await userEvent.clear(field);
    await userEvent.type(field, "D7sus4{Enter}");
    await waitFor(() =>
      expect(edits(asked)).toEqual([{ do: "set_chords", args: { first: 2, text: "D7sus4", last: 3, fill: true } }]),
    );
  });
});

describe("changes of metre", () => {
  const meters = [
    { bar: 1, meter: "4/4" },
    { bar: 9, meter: "7/8", grouping: [2, 2, 3] },
  ];
  const choose = async (bar: number) =>
    fireEvent.pointerDown(await screen.findByRole("button", { name: new RegExp(`^Bar ${bar},`) }), {
      button: 0,
      pointerId: 1,
    });
  it("are typed with their grouping, and taken out at the bar where they stand", async () => {
    const asked = opened({}, song({ meters }));
    await choose(5);
    expect(screen.queryByRole("button", { name: "Take out the metre change" })).toBeNull();
    await userEvent.type(screen.getByLabelText("Metre from bar 5"), "7/8 2+2+3{Enter}");
    await waitFor(() => expect(edits(asked)).toEqual([{ do: "set_meter", args: { bar: 5, meter: "7/8 2+2+3" } }]));
    await choose(9);
    await userEvent.click(screen.getByRole("button", { name: "Take out the metre change" }));
    await waitFor(() => expect(edits(asked).at(-1)).toEqual({ do: "set_meter", args: { bar: 9, meter: "" } }));
  });
});

describe("cues of one's own", () => {
  it("are said at a beat of a bar, seen above it, and taken out", async () => {
    const of = song({ cues: [{ bar: 3, beat: 2, text: "keys out" }] });
    const asked = opened(
      {
        "GET songs/s/chart/*": {
          ...chart,
          calls: [
            { bar: 3, text: "Chorus", beat: 0 },
            { bar: 3, text: "keys out", beat: 2 },
          ],
        },
      },
      of,
    );
    expect(await screen.findByText("“keys out · Chorus”")).toBeTruthy();
    fireEvent.pointerDown(screen.getByRole("button", { name: /^Bar 3,/ }), { button: 0, pointerId: 1 });
    const said = screen.getByLabelText("Cue at bar 3, beat 2");
    expect(said).toHaveProperty("value", "keys out");
    await userEvent.clear(said);
    await userEvent.type(said, "{Enter}");
    fireEvent.change(screen.getByLabelText("beat"), { target: { value: "4" } });
    await userEvent.type(screen.getByLabelText("Cue at bar 3, beat 4"), "all up{Enter}");
    await waitFor(() =>
      expect(edits(asked).map((e) => (e as { args: unknown }).args)).toEqual([
        { bar: 3, beat: 2, text: "" },
        { bar: 3, beat: 4, text: "all up" },
      ]),
    );
  });
});

describe("sections", () => {
  it("are moved at their start by key, and stop at their neighbours", async () => {
    const asked = opened();
    const start = await screen.findByRole("slider", { name: "Start of Chorus" });
    expect([
      start.getAttribute("aria-valuemin"),
      start.getAttribute("aria-valuenow"),
      start.getAttribute("aria-valuemax"),
    ]).toEqual(["2", "9", "16"]);
    fireEvent.keyDown(start, { key: "ArrowLeft" });
    await waitFor(() => expect(edits(asked)).toEqual([{ do: "move_boundary", args: { section: "b", first: 8 } }]));
    expect(screen.queryByRole("slider", { name: "Start of Verse" })).toBeNull();
  });
  it("are drawn where they were moved to before the server has answered", async () => {
    opened({ "POST songs/s/edits/": () => new Promise<Response>(() => undefined) });
    fireEvent.keyDown(await screen.findByRole("slider", { name: "Start of Chorus" }), { key: "ArrowLeft" });
    expect(await screen.findByRole("button", { name: /^Bar 8, Chorus/ })).toBeTruthy();
  });
  it("start by key S, and S in a field is a letter", async () => {
    const asked = opened();
    fireEvent.pointerDown(await screen.findByRole("button", { name: /^Bar 5,/ }), { button: 0, pointerId: 1 });
    await userEvent.type(screen.getByLabelText("Name of the section"), "s");
    fireEvent.keyDown(document.body, { key: "s" });
    await waitFor(() => expect(edits(asked)).toEqual([{ do: "split_section", args: { bar: 5, name: "Section" } }]));
  });
  it("heard in the stems are named and taken", async () => {
    const one = song({
      stems: [stem("Drums")],
      sections: [{ ...(song().sections[0] as Song["sections"][0]), bars: 16, name: "Song" }],
    });
    const proposal = {
      state: "done",
      progress: 1,
      message: "",
      sections: [
        { bar: 1, sure: 1, like: 0, reasons: [] },
        {
          bar: 9,
          sure: 0.9,
          like: 1,
          reasons: [
            { kind: "enters", stem: "Drums", value: 0 },
            { kind: "louder", stem: "", value: 3.2 },
          ],
        },
      ],
    };
    const asked = opened({ "GET songs/s/heard-sections/": proposal }, one);
    await userEvent.click(await screen.findByRole("button", { name: "Hear where its sections begin" }));
    expect(await screen.findByText("Drums comes in, 3.2 dB louder")).toBeTruthy();
    const name = screen.getByLabelText("Name of the section at bar 9");
    await userEvent.clear(name);
    await userEvent.type(name, "Chorus");
    await userEvent.click(screen.getByRole("button", { name: "Take these 2 sections" }));
    await waitFor(() =>
      expect(edits(asked)).toEqual([
        {
          do: "set_sections",
          args: {
            sections: [
              { bar: 1, name: "Part 1" },
              { bar: 9, name: "Chorus" },
            ],
          },
        },
      ]),
    );
  });
});

describe("zoom", () => {
  it("goes from the whole song to one bar, by key too, and is kept", async () => {
    const asked = opened();
    const choice = await screen.findByRole("combobox", { name: "Bars in a row" });
    await userEvent.selectOptions(choice, "Whole song");
    expect(screen.getAllByRole("button", { name: /^Bar \d+,/ })).toHaveLength(16);
    expect(localStorage.getItem("chart-zoom")).toBe("0");
    await userEvent.selectOptions(choice, "1 bar in a row");
    await waitFor(() => expect(asked.some((a) => a.path === "songs/s/chart/?points=240")).toBe(true));
    fireEvent.keyDown(screen.getByRole("button", { name: /^Bar 1,/ }), { key: "-" });
    expect(choice).toHaveProperty("value", "2");
  });
});

describe("two people", () => {
  it("the second sees what the first changed, and makes the edit as well", async () => {
    const now = song({
      revision: 9,
      key: "F",
      chords: ["Am", ...chords.slice(1)],
      sections: [
        { ...(song().sections[0] as Song["sections"][0]), bars: 6 },
        { ...(song().sections[1] as Song["sections"][0]), first_bar: 7, bars: 10 },
      ],
    });
    let first = true;
    const asked = opened({
      "GET songs/s/": () => (first ? song({ chords }) : now),
      "POST songs/s/edits/": () => {
        if (!first) return { ...now, revision: 10 };
        first = false;
        return refusal("Hakon changed “Paper Boats” meanwhile.", 409);
      },
    });
    const pickup = await screen.findByLabelText("Pickup before bar 1, in quarter notes");
    await userEvent.clear(pickup);
    await userEvent.type(pickup, "1{Enter}");
    const dialog = await screen.findByRole("dialog", { name: "Somebody else was quicker" });
    const text = dialog.textContent ?? "";
    for (const part of [
      "Hakon changed",
      "Key: D → F",
      "Bars of “Verse”: 1–8 → 1–6",
      "Bars of “Chorus”: 9–16 → 7–16",
      "Chords from bar 1: Em C/E → Am",
    ])
      expect(text).toContain(part);
    await userEvent.click(within(dialog).getByRole("button", { name: "Make mine as well" }));
    await waitFor(() =>
      expect(
        asked.filter((a) => a.path.endsWith("/edits/")).map((a) => (a.body as { revision: number }).revision),
      ).toEqual([7, 9]),
    );
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
  });
  it("differences name what is new, gone and other", () => {
    const now = song({
      stems: [stem("Choir")],
      forms: [...song().forms, { id: "x", name: "Short", steps: [], bars: 0, seconds: 0 }],
      note: "quiet",
    });
    expect(differences(song({ stems: [stem("Bass")] }), now).map((d) => `${d.what} ${d.name}`.trim())).toEqual([
      "note",
      "stemGone Bass",
      "stemNew Choir",
      "formNew Short",
    ]);
    expect(differences(song(), song())).toEqual([]);
  });
});

describe("forms", () => {
  const short = {
    id: "f",
    name: "Short",
    bars: 16,
    seconds: 20,
    steps: [
      { section: "a", ending: { kind: "attacca" as const, times: 1 } },
      { section: "b", ending: { kind: "repeat" as const, times: 2 } },
    ],
  };
  const two = song({ forms: [...song().forms, short] as Song["forms"] });
  it("show how long they are against the full one, and are changed step by step", async () => {
    const asked = opened({}, two, "forms");
    const column = within(await screen.findByRole("region", { name: "Form Short" }));
    expect(column.getByText(/0:12 shorter/)).toBeTruthy();
    await userEvent.selectOptions(column.getByLabelText("Ending of Verse, step 1"), "vamp");
    await userEvent.click(column.getByRole("button", { name: "Take out Chorus, step 2" }));
    await userEvent.click(column.getByRole("button", { name: "Add a section" }));
    await userEvent.click(screen.getByRole("menuitem", { name: /Chorus/ }));
    await waitFor(() => expect(edits(asked)).toHaveLength(3));
    expect(
      edits(asked).map((e) =>
        (e.args as { steps: { section: string; ending: { kind: string } }[] }).steps.map(
          (s) => `${s.section} ${s.ending.kind}`,
        ),
      ),
    ).toEqual([["a vamp", "b repeat"], ["a vamp"], ["a vamp", "b attacca"]]);
  });
  it("a new one begins as the full one is played", async () => {
    const asked = opened({}, song(), "forms");
    await userEvent.click(await screen.findByRole("button", { name: "New form" }));
    await waitFor(() =>
      expect(edits(asked)).toEqual([
        {
          do: "set_form",
          args: {
            name: "Short",
            steps: [
              { section: "a", ending: { kind: "attacca", times: 1 } },
              { section: "b", ending: { kind: "fine", times: 1 } },
            ],
          },
        },
      ]),
    );
  });
  it("stand side by side with gaps", async () => {
    opened(
      {
        "GET songs/s/compared/": {
          forms: ["full", "f"],
          rows: [
            [0, 0],
            [1, null],
          ],
        },
      },
      two,
      "forms",
    );
    await userEvent.click(await screen.findByRole("button", { name: "Line them up" }));
    const rows = (await screen.findAllByRole("row")).map((r) => r.textContent);
    expect(rows.slice(1)).toEqual(["AVerseAVerse", "BChorusfine–"]);
  });
});

describe("seams", () => {
  const seam = (more: Partial<Seam>): Seam => ({
    old: "a",
    new: "b",
    straight: false,
    likely: 0,
    verdict: "not",
    reason: "",
    cut: 0,
    early: 0,
    level: 0,
    colour: 0,
    cut_db: 0,
    early_ms: 0,
    level_db: 0,
    colour_db: 0,
    stem: null,
    mends: [],
    ...more,
  });
  it("say why they will be heard, and what mends them", async () => {
    const list = [
      seam({
        likely: 0.91,
        verdict: "heard",
        reason: "cut",
        stem: "Pads",
        mends: [{ kind: "ring_on", value: 1, likely: 0.2 }],
      }),
      seam({
        old: "b",
        new: "a",
        likely: 0.7,
        verdict: "heard",
        reason: "early",
        early_ms: 42,
        mends: [{ kind: "shift", value: -44, likely: 0.1 }],
      }),
      seam({ old: "b", new: "b", likely: 0.1, reason: "level" }),
      seam({ straight: true }),
    ];
    const asked = opened(
      { "GET songs/s/seams/*": list, "GET songs/s/seam/*": list[2] },
      song({ stems: [stem("Pads")] }),
      "seams",
    );
    expect(await screen.findByText("A note of “Pads” is cut in two.")).toBeTruthy();
    expect(screen.getByText("will be heard · 91 %")).toBeTruthy();
    expect(screen.getByText("The attack of the downbeat comes 42 ms before the bar line.")).toBeTruthy();
    expect(screen.getByText("Nothing sticks out.")).toBeTruthy();
    expect(screen.getByText("1 join goes straight on, as recorded.")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: /Let the old side ring on 1 s/ }));
    await userEvent.click(screen.getByRole("button", { name: /Shift bar 1 by −44 ms/ }));
    await waitFor(() =>
      expect(edits(asked)).toEqual([
        { do: "set_facts", args: { ring_on_s: 1 } },
        { do: "set_bar1", args: { by_ms: -44 } },
      ]),
    );
  });
});
