import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";

const ears = { state: "idle", hear: vi.fn(), stop: vi.fn() };
vi.mock("@/hear/use-ears", () => ({ useEars: () => ears }));

import type { Entry } from "@/api/types";
import { serve, setlist, show } from "@/test/helpers";

import { movedBy, movedTogether, setColours } from "./entries";
import { SetlistPage } from "./setlist-page";

const entry = (id: string, more: Partial<Entry> = {}): Entry => ({
  id,
  song: `song-${id}`,
  form: "",
  link: "wait",
  link_seconds: 0,
  pad: "",
  call_title: false,
  timecode: "",
  screen: "song",
  semitones: null,
  tempo_percent: null,
  played_semitones: 0,
  played_percent: 100,
  recorded_bpm: "120",
  recorded_key: "D",
  preparing: null,
  note: "",
  colour: null,
  players: {},
  set_name: "",
  interval_minutes: null,
  title: id,
  bpm: "120",
  unit: "1",
  meter: "4/4",
  key: "D",
  bars: 8,
  seconds: 120,
  starts_s: 0,
  forms: [{ id: "full", name: "Full" }],
  problem: null,
  wrong: 0,
  look: 0,
  ...more,
});
const heading = (id: string, colour: number) => entry(id, { song: null, title: "", set_name: id, colour });

function opened(entries: Entry[], more: Record<string, unknown> = {}) {
  const row = setlist({ entries });
  const asked = serve({
    "GET setlists/": [row],
    "GET songs/": [],
    "GET shows/": [],
    "GET players/": [{ id: "p", name: "Pilar", part: "bass" }],
    "GET line-ups/": [],
    "GET rigs/": [],
    "GET setlists/l/to-do/": { to_do: [], steps: [] },
    "PATCH setlists/l/": row,
    ...more,
  });
  show(<SetlistPage band="Band" />, "/setlists/l", "/setlists/:id");
  return asked;
}
const written = (asked: ReturnType<typeof serve>) =>
  asked.filter((a) => a.method === "PATCH").map((a) => (a.body as { entries: Entry[] }).entries);
const order = (asked: ReturnType<typeof serve>) => written(asked).map((rows) => rows.map((e) => e.id ?? e.set_name));

describe("several entries", () => {
  beforeEach(() => {
    ears.state = "idle";
    vi.clearAllMocks();
  });

  it("are chosen one by one or with Shift, moved together and taken out", async () => {
    const asked = opened(["a", "b", "c", "d"].map((id) => entry(id)));
    await userEvent.click(await screen.findByRole("checkbox", { name: "Choose b" }));
    await userEvent.keyboard("{Shift>}");
    await userEvent.click(screen.getByRole("checkbox", { name: "Choose d" }));
    await userEvent.keyboard("{/Shift}");
    const tools = within(screen.getByRole("toolbar", { name: "What is chosen" }));
    await userEvent.click(tools.getByRole("button", { name: "Choose none" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "Choose b" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "Choose d" }));
    await userEvent.click(screen.getByRole("button", { name: "Move them up" }));
    await waitFor(() => expect(order(asked)).toEqual([["b", "d", "a", "c"]]));
    await userEvent.click(screen.getByRole("button", { name: "Take them out" }));
    await waitFor(() => expect(order(asked)[1]).toEqual(["a", "c"]));
  });

  it("become a set under a heading of their own", async () => {
    const asked = opened(["a", "b", "c"].map((id) => entry(id)));
    await userEvent.click(await screen.findByRole("checkbox", { name: "Choose a" }));
    await userEvent.click(screen.getByRole("checkbox", { name: "Choose c" }));
    await userEvent.click(screen.getByRole("button", { name: "Make them a set" }));
    await waitFor(() => expect(order(asked)).toEqual([["Set", "a", "c", "b"]]));
  });

  it("are moved as a block wherever one of them is dropped", () => {
    const rows = ["a", "b", "c", "d", "e"].map((id) => entry(id));
    const ids = (all: Entry[]) => all.map((e) => e.id).join("");
    const chosen = new Set(["b", "d"]);
    expect(ids(movedTogether(rows, chosen, 1, 4))).toBe("acebd");
    expect(ids(movedTogether(rows, chosen, 3, 0))).toBe("bdace");
    expect(ids(movedTogether(rows, chosen, 1, 2))).toBe("acbde");
    expect(ids(movedTogether(rows, chosen, 1, 3))).toBe("acbde");
    expect(ids(movedBy(rows, chosen, 1))).toBe("acebd");
    expect(ids(movedBy(rows, new Set(["a"]), -1))).toBe("abcde");
    expect(ids(movedBy(rows, new Set(["e"]), 1))).toBe("abcde");
  });
});

describe("an entry", () => {
  it("has the colour of its set, and who is on in it other than in the show", async () => {
    const asked = opened([entry("a"), heading("Second set", 4), entry("b", { players: { p: false } })]);
    expect(await screen.findByText("Pilar is away")).toBeTruthy();
    expect(setColours([entry("a"), heading("S", 4), entry("b")])).toEqual([null, 4, 4]);
    await userEvent.click(screen.getByRole("button", { name: "Colour, players and screens of a" }));
    await userEvent.click(await screen.findByRole("menuitemcheckbox", { name: "Pilar: as in the show" }));
    await waitFor(() => expect(written(asked)[0]?.[0]?.players).toEqual({ p: false }));
    const name = screen.getByLabelText("Name of the set");
    await userEvent.clear(name);
    await userEvent.type(name, "Encore{Enter}");
    await waitFor(() => expect(written(asked)[1]?.[1]?.set_name).toBe("Encore"));
  });

  it("says how the next song differs, and lets the join be heard", async () => {
    const asked = opened([entry("a"), entry("b")], {
      "GET setlists/l/to-do/": {
        to_do: [],
        steps: [{ entry: "b", semitones: -2, tempo_percent: 12.4, loudness_lu: 4.5 }],
      },
    });
    expect(await screen.findByText(/−2 semitones · 12 % faster/)).toBeTruthy();
    expect(screen.getByText(/4.5 LU louder/)).toBeTruthy();
    await userEvent.selectOptions(screen.getByLabelText("What sounds after a"), "warm");
    await waitFor(() => expect(written(asked)[0]?.[0]?.pad).toBe("warm"));
    await userEvent.click(screen.getByRole("button", { name: "Hear how a leads into the next song" }));
    expect(ears.hear).toHaveBeenCalledWith(expect.objectContaining({ join: { setlist: "l", entry: "a" } }));
  });
});

describe("what is left to do", () => {
  it("is listed worst first with the way to it", async () => {
    const one = (code: string, severity: string, more = {}) => ({
      code,
      severity,
      entry: null,
      title: "",
      value: 0,
      ...more,
    });
    opened([entry("a", { wrong: 1, look: 2 }), entry("b")], {
      "GET setlists/l/to-do/": {
        steps: [],
        to_do: [
          one("song", "wrong", { entry: 0, title: "a", value: 3 }),
          one("over-slot", "wrong", { value: 95 }),
          one("loudness", "look", { entry: 1, title: "b", value: -4.4 }),
          one("no-show", "look"),
        ],
      },
    });
    const list = within(await screen.findByRole("region", { name: "What is left to do" }));
    expect(list.getAllByRole("listitem").map((li) => li.textContent)).toEqual([
      "a: 3 things to doGo to it",
      "It is 1:35 longer than its slot.",
      "b is 4.4 LU softer than the song before it.Match the songs",
      "No show was made of it yet.Make a show of it",
    ]);
    expect(list.getByRole("link", { name: "Go to it" }).getAttribute("href")).toBe("/songs/song-a");
    expect(screen.getByRole("link", { name: "3 to do" })).toBeTruthy();
  });
});

describe("compared", () => {
  it("is said in words, kept under a name and brought back", async () => {
    const rows = [entry("a")];
    const states = [{ way: "kept:k", name: "Tuesday", at: 1_795_000_000, by: "Mira" }];
    const d = (kind: string, more = {}) => ({ kind, entry: "s", named: "", place: 3, was: null, now: null, ...more });
    const asked = opened(rows, {
      "GET setlists/l/kept/": { states },
      "POST setlists/l/kept/": { states },
      "GET setlists/l/compared/?*": {
        titles: { s: "Night Ferry" },
        forms: { f: "Short" },
        songs_changed: ["Kites", "Boats"],
        differences: [
          d("moved"),
          d("added", { entry: "", named: "Second set", place: null }),
          d("form", { was: "", now: "f" }),
          d("slot", { entry: "", was: 75, now: 60 }),
        ],
      },
      "POST setlists/l/bring-back/": setlist({ entries: rows }),
    });
    await userEvent.click(await screen.findByRole("button", { name: "Compare" }));
    const list = within(await screen.findByRole("list", { name: "What is different" }));
    expect(list.getAllByRole("listitem").map((li) => li.textContent)).toEqual([
      "Night Ferry moved to 3",
      "Second set is new",
      "Night Ferry is played Short, not Full",
      "The slot is 60 min, not 75",
      "2 songs were edited: Kites, Boats",
    ]);
    await userEvent.type(screen.getByLabelText("A name for it as it is now"), "Wednesday{Enter}");
    await waitFor(() => expect(asked.find((a) => a.path === "setlists/l/kept/" && a.method === "POST")?.body).toEqual({ name: "Wednesday" })); // prettier-ignore
    await userEvent.click(screen.getByRole("button", { name: "Bring this back" }));
    await waitFor(() => expect(asked.find((a) => a.path === "setlists/l/bring-back/")?.body).toEqual({ way: "kept:k", revision: 1 })); // prettier-ignore
  });
});
