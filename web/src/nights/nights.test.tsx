import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { NightTold, Nights, TimesTaken } from "@/api/types";
import { refusal, serve, show } from "@/test/helpers";

import { NightsPage } from "./nights-page";
import { passages } from "./passes";

type Entry = NightTold["entries"][number];
const pass = (section: string, bars: number, first_bar = 1, round = 1) => ({
  section,
  bars,
  first_bar,
  round,
  step: 0,
});

const entry = (more: Partial<Entry> = {}): Entry => ({
  entry: 1,
  id: "e",
  song: "s",
  title: "Paper Comets",
  form: "Full",
  started_s: 4,
  ended_s: 214,
  prepared_s: 190,
  whole: true,
  passes: [pass("Verse", 8), pass("Chorus", 8, 9), pass("Chorus", 8, 9, 2), pass("Verse", 4)],
  jumps: 2,
  levels_changed: [],
  levels: [{ part: "stem:o", name: "Organ", db: -4, on: null, becomes: -6, now_db: -2 }],
  marks: [{ s: 60, bar: 12, by: "Mira" }],
  dropouts: 0,
  dropouts_at: [],
  at: 1_795_000_004,
  there: true,
  ...more,
});

const told = (more: Partial<NightTold> = {}): NightTold => ({
  name: "n.jsonl",
  title: "Thursday",
  began: 1_795_000_004,
  ended: 1_795_003_904,
  slot: { starts_at: "20:15", minutes: 60 },
  line_up_away: ["Juno"],
  dropouts: 0,
  entries: [entry()],
  ...more,
});

const listed: Nights = {
  kept_days: 90,
  nights: [
    { name: "n.jsonl", title: "Thursday", began: 1_795_000_000, bytes: 900, played: true },
    { name: "o.jsonl", title: "Only loaded", began: 1_794_000_000, bytes: 90, played: false },
  ],
};

function opened(more: Record<string, unknown> = {}, at = "/nights/n.jsonl") {
  const asked = serve({ "GET nights/": listed, "GET nights/n.jsonl/report/": told(), ...more });
  show(<NightsPage />, at, "/nights/:name");
  return asked;
}

describe("the nights", () => {
  it("are told song by song, against the slot, with what was noted", async () => {
    opened();
    expect(await screen.findByText("1:05:00 from the first bar to the last")).toBeTruthy();
    expect(screen.getByText("5:00 over the slot of 60 min")).toBeTruthy();
    expect(screen.getByText("without Juno")).toBeTruthy();
    expect(screen.getByText("3:30")).toBeTruthy();
    expect(screen.getByText(/\+20 s/)).toBeTruthy();
    expect(screen.getByText(/×2/)).toBeTruthy();
    expect(screen.getByRole("link", { name: "Marked in bar 12 by Mira" }).getAttribute("href")).toBe("/songs/s?bar=12");
    expect(screen.queryByText("Only loaded")).toBeNull();
  });

  it("give a level to the song, once", async () => {
    const asked = opened({
      "GET songs/s/": { id: "s", revision: 7 },
      "POST songs/s/edits/": { id: "s", revision: 8 },
    });
    await userEvent.click(await screen.findByRole("button", { name: "Keep Organ at −6.0 dB in the song" }));
    const edit = asked.find((a) => a.path === "songs/s/edits/");
    expect(edit?.body).toMatchObject({ do: "set_stem", revision: 7, args: { stem: "o", gain_db: -6 } });
  });

  it("say which levels are kept already, and offer none for what is gone", async () => {
    const kept = { part: "stem:o", name: "Organ", db: -4, on: null, becomes: -6, now_db: -6 };
    const gone = { part: "stem:p", name: "Piano", db: 2, on: null, becomes: 2, now_db: null };
    const out = { part: "click", name: "The click", db: 0, on: false, becomes: null, now_db: null };
    opened({ "GET nights/n.jsonl/report/": told({ entries: [entry({ levels: [kept, gone, out], there: false })] }) });
    expect(await screen.findByText("kept in the song")).toBeTruthy();
    expect(screen.getByText("Piano +2.0 dB")).toBeTruthy();
    expect(screen.getByText("The click out")).toBeTruthy();
    expect(screen.queryByRole("button", { name: /Keep|form/ })).toBeNull();
    expect(screen.queryByRole("link", { name: /Marked/ })).toBeNull();
  });

  it("make a form of what was played under a name", async () => {
    const asked = opened({ "POST nights/n.jsonl/form/": { song: "s", form: "f" } });
    await userEvent.click(await screen.findByRole("button", { name: /Make a form of it: Paper Comets/ }));
    const name = screen.getByLabelText("Name of the form");
    await userEvent.clear(name);
    await userEvent.type(name, "With three choruses");
    await userEvent.click(screen.getByRole("button", { name: "Make a form of it" }));
    await waitFor(() =>
      expect(asked.find((a) => a.path === "nights/n.jsonl/form/")?.body).toEqual({
        entry: 0,
        name: "With three choruses",
      }),
    );
  });

  it("say why one cannot be told", async () => {
    opened({ "GET nights/n.jsonl/report/": refusal("The show of that night is not kept any more.") });
    expect(await screen.findByText("The show of that night is not kept any more.")).toBeTruthy();
  });

  it("are compared by what each song took", async () => {
    const time = { name: "n.jsonl", at: 1_795_000_000, form: "Full", seconds: 214, prepared_s: 190 };
    const songs: TimesTaken["songs"] = [
      { song: "s", title: "Paper Comets", usual_s: 207, times: [time, { ...time, seconds: 200 }] },
    ];
    opened({ "GET nights/times/": { songs } }, "/nights/times");
    expect(await screen.findByText("usually 3:27, 3:20 to 3:34 in 2 times")).toBeTruthy();
    expect(screen.getAllByRole("link", { name: /2026/ }).length).toBeGreaterThanOrEqual(2);
  });
});

describe("passages", () => {
  it("are what was played again and again, as one", () => {
    expect(passages([pass("A", 4), pass("A", 4), pass("B", 2), pass("A", 1)])).toEqual([
      { section: "A", times: 2, bars: 8 },
      { section: "B", times: 1, bars: 2 },
      { section: "A", times: 1, bars: 1 },
    ]);
  });
});
