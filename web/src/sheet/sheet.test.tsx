import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";

import type { Tonight } from "@/api/types";
import { refusal, serve, showSong, song, stem } from "@/test/helpers";

import { copied, kind, moved, pasted } from "./block";

const STEMS = [
  stem("Drums"),
  stem("Organ", { group: "tonal", gain_db: -4, levels: { b: 1.5 } }),
  stem("Bass", { purpose: "covers", covers_name: "Pilar", tacet: ["a"] }),
];
const missing: Tonight = {
  standing: { Drums: "sounds", Organ: "sounds", Bass: "sounds" }, gaps: ["Pilar is away and Paper Boats has no bass stem."],
  looks: [{ code: "no-tonal", section: "a", stem: "" }, { code: "silent-file", section: "b", stem: "Organ" }], empty: [],
}; // prettier-ignore
const lineUps = [{ id: "u", name: "Without Pilar", position: 0, away: ["p"], guests: {} }];
const chart = { bars: [], calls: [], seconds: 32, form_bars: 16 };

function opened(more: Record<string, unknown> = {}, view: "tacet" | "levels" = "tacet", of = song({ stems: STEMS })) {
  const asked = serve({
    "GET songs/s/": of, "GET songs/s/chart/*": chart, "GET uploads/*": [], "GET line-ups/": lineUps, "GET songs/s/tonight/*": missing,
    "GET songs/s/sheet/": { revision: 7, pictures: STEMS.map((s) => ({ stem: s.id, cells: [[0, 50, 100], [10, 20, 30]] })) }, ...more,
  }); // prettier-ignore
  showSong(view);
  return asked;
}
const edits = (asked: ReturnType<typeof serve>) =>
  asked.filter((a) => a.path.endsWith("/edits/")).map((a) => a.body as { do: string; args: Record<string, unknown> });
const cell = (name: RegExp) => screen.findByRole("gridcell", { name });

beforeEach(() => localStorage.clear());

describe("blocks of the sheet", () => {
  const of = song({ stems: STEMS });
  it("are moved and stretched by keys, within the sheet", () => {
    const start = { row: 0, col: 0, toRow: 0, toCol: 0 };
    expect(moved(start, "ArrowUp", false, 3, 2)).toEqual(start);
    expect(moved(start, "ArrowRight", true, 3, 2)).toEqual({ row: 0, col: 0, toRow: 0, toCol: 1 });
    expect(moved(start, "PageDown", false, 3, 2)).toEqual({ row: 2, col: 0, toRow: 2, toCol: 0 });
    expect(moved(start, "x", false, 3, 2)).toBeNull();
  });
  it("are copied and laid over a larger one", () => {
    const one = copied(of, { row: 1, col: 1, toRow: 1, toCol: 1 });
    const cells = pasted(of, { row: 0, col: 0, toRow: 1, toCol: 1 }, one);
    expect(cells).toHaveLength(4);
    expect(cells.every((c) => c.level_db === 1.5)).toBe(true);
    const two = copied(of, { row: 1, col: 0, toRow: 2, toCol: 1 });
    // Past the last stem there is nothing to lay it on.
    expect(pasted(of, { row: 2, col: 1, toRow: 2, toCol: 1 }, two)).toEqual([
      { stem: "Bass", section: "b", tacet: false, level_db: 0, fade_beats: 0 },
    ]);
  });
  it("know a section's kind by its name", () => {
    expect([kind("Verse 2"), kind("Verse three"), kind("Verse")]).toEqual(["verse", "verse", "verse"]);
  });
});

describe("the tacet sheet", () => {
  it("is used by keyboard: a block, tacet, half decibels, and shows it at once", async () => {
    const late: ((answer: Response) => void)[] = [];
    const asked = opened({ "POST songs/s/edits/": () => new Promise<Response>((done) => late.push(done)) });
    const first = await cell(/^Drums, A Verse/);
    fireEvent.pointerDown(first, { button: 0 });
    first.focus();
    fireEvent.keyDown(first, { key: "ArrowDown", shiftKey: true });
    expect(screen.getByText("2 stems in 1 section")).toBeTruthy();
    fireEvent.keyDown(document.activeElement ?? first, { key: "t" });
    expect(await cell(/^Organ, A Verse, tacet/)).toBeTruthy();
    await waitFor(() =>
      expect(edits(asked)).toMatchObject([
        { do: "set_cells", args: { stems: ["Drums", "Organ"], sections: ["a"], tacet: true } },
      ]),
    );
    late.shift()?.(refusal("That cannot be."));
    expect(await cell(/^Organ, A Verse, plays/)).toBeTruthy();
    fireEvent.keyDown(await cell(/^Organ, A Verse/), { key: "ArrowRight" });
    fireEvent.keyDown(await cell(/^Organ, B Chorus/), { key: "-" });
    expect(await cell(/^Organ, B Chorus, \+1.0 dB/)).toBeTruthy();
    await waitFor(() =>
      expect(edits(asked)[1]).toMatchObject({ args: { stems: ["Organ"], sections: ["b"], by_db: -0.5 } }),
    );
  });
  it("chooses rows and columns by their heads, copies and pastes", async () => {
    const asked = opened({ "POST songs/s/edits/": song({ revision: 8, stems: STEMS }) });
    fireEvent.pointerDown(await screen.findByRole("rowheader", { name: /Organ/ }), { button: 0 });
    expect(screen.getByText("1 stem in 2 sections")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Copy" }));
    fireEvent.pointerDown(screen.getByRole("columnheader", { name: /Verse/ }), { button: 0 });
    expect(screen.getByText("3 stems in 1 section")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Paste" }));
    await waitFor(() => expect(edits(asked)[0]?.args.cells).toHaveLength(6));
  });
  it("takes a typed level, a fade, and the same wherever the section comes", async () => {
    const verses = song({
      stems: STEMS,
      sections: [
        ...song().sections,
        { ...song().sections[0], id: "c", name: "Verse 2", mark: "C", first_bar: 17 } as never,
      ],
    });
    const asked = opened({ "POST songs/s/edits/": verses }, "tacet", verses);
    fireEvent.pointerDown(await cell(/^Organ, A Verse/), { button: 0 });
    const side = within(screen.getByRole("complementary", { name: "Chosen cells and tonight" }));
    await userEvent.clear(side.getByLabelText("Level here, in dB"));
    await userEvent.type(side.getByLabelText("Level here, in dB"), "−2,5{Enter}");
    await waitFor(() => expect(edits(asked)[0]?.args).toMatchObject({ level_db: -2.5 }));
    await userEvent.selectOptions(side.getByLabelText("Changes"), "4");
    await waitFor(() => expect(edits(asked)[1]?.args).toMatchObject({ fade_beats: 4 }));
    await userEvent.click(side.getByRole("button", { name: "Same wherever it is Verse" }));
    await waitFor(() =>
      expect((edits(asked)[2]?.args.cells as { section: string }[]).map((c) => c.section)).toEqual(["a", "c"]),
    );
  });
  it("says what is missing tonight and leads to what is worth a look", async () => {
    opened();
    const choice = await screen.findByLabelText("Heard as on");
    await screen.findByRole("option", { name: "Without Pilar" });
    await userEvent.selectOptions(choice, "u");
    expect((await screen.findAllByText("Pilar is away and Paper Boats has no bass stem.")).length).toBeGreaterThan(0);
    expect((await screen.findAllByText("sounds: Pilar is away")).length).toBeGreaterThan(0);
    await userEvent.click(
      screen.getByRole("button", { name: "Organ is set in B · Chorus, but its file is silent there." }),
    );
    expect(screen.getByRole("heading", { name: "Organ · B Chorus" })).toBeTruthy();
    expect(screen.getByText("+1.5 dB here")).toBeTruthy();
    expect(screen.getByText("−4.0 dB in the song, −2.5 dB in this section, in every form")).toBeTruthy();
  });
});

describe("levels", () => {
  const level = {
    state: "done", progress: 1, message: "", gain_db: 0.5, own: false, lufs: -20.2, peak_dbtp: -4, target: -18, proposal: { gain_db: 2.7, lufs: -18, peak_dbtp: -1.8, short_db: 0 },
    seconds: 32, step_s: 0.5, steps: [{ step: 0, at_s: 0 }, { step: 1, at_s: 16 }], short_term: [null, -22, -20, null, -18],
  }; // prettier-ignore
  it("say how far the song is off, and take what is proposed", async () => {
    const asked = opened(
      { "GET songs/s/level/*": level, "GET songs/": [], "POST songs/s/edits/": song({ revision: 8 }) },
      "levels",
    );
    expect(
      await screen.findByText(/2.2 LU under the target. Taken, it is −18.0 LUFS with a true peak of −1.8 dBTP./),
    ).toBeTruthy();
    expect(
      screen.getByRole("img", { name: "Loudness along Paper Boats; the loudest three seconds have −18.0 LUFS" }),
    ).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Make it +2.2 dB" }));
    await waitFor(() => expect(edits(asked)).toMatchObject([{ do: "set_level", args: { gain_db: 2.7 } }]));
  });
  it("say why the target cannot be, and keep what was typed", async () => {
    opened(
      {
        "GET songs/s/level/*": () => refusal("+20 LUFS cannot be a target: a show lies between -36 and -8 LUFS."),
        "GET songs/": [],
      },
      "levels",
    );
    expect(
      (await screen.findAllByText("+20 LUFS cannot be a target: a show lies between -36 and -8 LUFS.")).length,
    ).toBeGreaterThan(0);
  });
  it("set stems, ends, and what others begin with", async () => {
    const asked = opened(
      {
        "GET songs/s/level/*": level,
        "GET songs/": [{ id: "o", title: "Other" }],
        "POST songs/s/edits/": song({ revision: 8, stems: STEMS }),
        "POST songs/s/keep-usual/": [],
        "GET usual-stems/": [],
      },
      "levels",
    );
    fireEvent.change(await screen.findByLabelText("Width: Organ"), { target: { value: "0.5" } });
    fireEvent.keyUp(screen.getByLabelText("Width: Organ"));
    await userEvent.selectOptions(screen.getByLabelText("Ends"), "hold");
    await userEvent.selectOptions(screen.getByLabelText("Settings of another song"), "o");
    await userEvent.click(screen.getByRole("button", { name: "Take them" }));
    await waitFor(() =>
      expect(edits(asked).map((e) => [e.do, e.args])).toEqual([
        ["set_stem", { stem: "Organ", width: 0.5, mono: false }], ["set_edges", { end_bar: 16, hold_s: 4, fade_out_s: 0 }], ["take_settings", { from: "o" }],
      ]),
    ); // prettier-ignore
    await userEvent.click(screen.getByRole("button", { name: "Keep as the band's usual" }));
    expect((await screen.findAllByText("3 stems are the band's usual now.")).length).toBeGreaterThan(0);
  });
  it("hear stems alone as soon as they are chosen", async () => {
    opened({ "GET songs/s/level/*": level, "GET songs/": [] }, "levels");
    const alone = await screen.findByRole("button", { name: "alone: Organ" });
    await userEvent.click(alone);
    expect(alone.getAttribute("aria-pressed")).toBe("true");
    vi.unstubAllGlobals();
  });
});
