import { act, cleanup, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { Entry } from "@/api/types";
import { refusal, rig, serve, setlist, show } from "@/test/helpers";

import { RowConflictDialog } from "@/shell/row-conflict";

import { SetlistPage } from "./setlist-page";
import { ShowDialog } from "./show-dialog";

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
  wrong: 0,
  look: 0,
  interval_minutes: null,
  title: `Title ${id}`,
  bpm: "120",
  unit: "1",
  meter: "4/4",
  key: "D",
  bars: 8,
  seconds: 120,
  starts_s: 0,
  forms: [
    { id: "full", name: "Full" },
    { id: "x", name: "Short" },
  ],
  problem: null,
  ...more,
});

function opened(entries: Entry[], more: Record<string, unknown> = {}, of = {}) {
  const asked = serve({
    "GET setlists/": [setlist({ entries, ...of })],
    "GET songs/": [{ id: "n", title: "New one" }],
    "GET shows/": [],
    "GET players/": [],
    "GET rigs/": [rig()],
    "GET setlists/l/to-do/": { to_do: [], steps: [] },
    ...more,
  });
  show(<SetlistPage band="Band" />, "/setlists/l", "/setlists/:id");
  return asked;
}
const written = (asked: ReturnType<typeof serve>) => asked.filter((a) => a.method === "PATCH").map((a) => a.body);

it("opens where somebody was last, and the first where nobody was yet", async () => {
  const both = [setlist({ id: "a", name: "Acoustic" }), setlist({ id: "l", name: "Thursday" })];
  opened([], { "GET setlists/": both, "GET setlists/a/to-do/": { to_do: [], steps: [] } });
  expect(await screen.findByDisplayValue("Thursday")).toBeTruthy();
  cleanup();
  const away = () => show(<SetlistPage band="Band" />, "/setlists", "/setlists/:id?");
  away();
  expect(await screen.findByDisplayValue("Thursday")).toBeTruthy();
  cleanup();
  localStorage.clear();
  away();
  expect(await screen.findByDisplayValue("Acoustic")).toBeTruthy();
});

describe("the running order", () => {
  it("shows starts, joints and the slot", async () => {
    opened([
      entry("1", { link: "attacca" }),
      entry("2", { song: null, title: "", interval_minutes: 20, starts_s: 120 }),
      entry("3", { starts_s: 1320 }),
    ]);
    expect(await screen.findByRole("link", { name: "Title 1" })).toBeTruthy();
    expect(screen.getByText("20:17")).toBeTruthy();
    expect(screen.getByText("20:37")).toBeTruthy();
    expect(screen.getByLabelText("What happens after Title 1")).toHaveProperty("value", "attacca");
    expect(screen.getAllByText("5:00 to spare").length).toBeGreaterThan(0);
  });
  it("says when it is too long for the slot", async () => {
    opened([entry("1")], {}, { seconds: 700 });
    expect((await screen.findAllByText("1:40 too long")).length).toBeGreaterThan(0);
  });
  it("shows what was saved, whatever older answer comes after it", async () => {
    const reads: ((lists: unknown) => void)[] = [];
    const older = [setlist({ entries: [entry("1")] })];
    let opening = true;
    opened([], {
      "GET setlists/": () => {
        if (!opening) return new Promise((done) => reads.push(done));
        opening = false;
        return older;
      },
      "PATCH setlists/l/": setlist({ entries: [entry("1"), entry("2")] }),
    });
    await screen.findByRole("link", { name: "Title 1" });
    // Somebody comes back to the page: the lists are read again.
    window.dispatchEvent(new Event("visibilitychange"));
    await waitFor(() => expect(reads).toHaveLength(1));
    await userEvent.click(screen.getByRole("button", { name: "Add an interval" }));
    expect(await screen.findByRole("link", { name: "Title 2" })).toBeTruthy();
    reads[0]?.(older);
    await act(() => new Promise((done) => setTimeout(done, 50)));
    expect(screen.getByRole("link", { name: "Title 2" })).toBeTruthy();
  });
  it("adds, changes and takes out entries, each saved as it is made", async () => {
    const asked = opened([entry("1"), entry("2")], {
      "PATCH setlists/l/": setlist({ entries: [entry("1"), entry("2")] }),
    });
    await userEvent.selectOptions(await screen.findByLabelText("Form of Title 1"), "x");
    await userEvent.click(screen.getByRole("button", { name: "Take Title 2 out" }));
    await userEvent.click(screen.getByRole("button", { name: "Add an interval" }));
    const rows = written(asked).map((b) => (b as { entries: Entry[] }).entries);
    expect(rows[0]?.[0]).toEqual({
      id: "1",
      song: "song-1",
      form: "x",
      link: "wait",
      link_seconds: 0,
      pad: "",
      call_title: false,
      note: "",
      colour: null,
      timecode: "",
      screen: "song",
      semitones: null,
      tempo_percent: null,
      players: {},
      set_name: "",
      interval_minutes: null,
    });
    expect(rows[1]?.map((e) => e.id)).toEqual(["1"]);
    expect(rows[2]?.at(-1)).toEqual({ song: null, interval_minutes: 20 });
  });
  it("is played in another key and tempo, says how far that is prepared, and what cannot be", async () => {
    const moved = entry("1", {
      semitones: 2,
      tempo_percent: 92,
      played_semitones: 2,
      played_percent: 92,
      key: "E",
      bpm: "110.4",
    });
    const working = { state: "working" as const, progress: 0.4, left_s: 12, message: "" };
    const refused = { state: "refused" as const, progress: 0, left_s: null, message: "The disk is full." };
    let told: Entry["preparing"] = working;
    const now = () => setlist({ entries: [{ ...moved, preparing: told }, entry("2")] });
    const asked = opened([entry("1"), entry("2")], {
      "PATCH setlists/l/": now,
      "GET setlists/l/": now,
      "POST setlists/l/prepare/": () => ((told = working), now()),
    });
    await userEvent.click(await screen.findByRole("button", { name: "Colour, players and screens of Title 1" }));
    await userEvent.click(await screen.findByRole("menuitem", { name: "Key and tempo" }));
    await userEvent.selectOptions(screen.getByLabelText("Key"), "+2 semitones");
    const typed = screen.getByLabelText(/^Tempo, as/);
    await waitFor(() => expect(typed).toHaveProperty("value", "92 %"));
    await userEvent.clear(typed);
    await userEvent.type(typed, "116{Enter}");
    expect(written(asked).map((b) => (b as { entries: Entry[] }).entries[0])).toMatchObject([
      { semitones: 2 },
      { semitones: 2, tempo: "116" },
    ]);
    expect(await screen.findByText("being prepared, about 0:12 left")).toBeTruthy();
    expect(screen.getByText(/^It is played in E at .+ 110\.40; it was recorded in D at .+ 120\.00\.$/)).toBeTruthy();
    told = refused;
    expect(await screen.findByText("The disk is full.", {}, { timeout: 4000 })).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Prepare it" }));
    expect(asked.some((a) => a.path === "setlists/l/prepare/")).toBe(true);
    expect(await screen.findByText("being prepared, about 0:12 left")).toBeTruthy();
    told = { state: "ready", progress: 1, left_s: 0, message: "" };
    expect(await screen.findByText("It is prepared.", {}, { timeout: 4000 })).toBeTruthy();
  });
  it("loses no change that waits behind another", async () => {
    let answer: (() => void) | undefined;
    const kept: Entry[][] = [];
    const asked = opened([entry("1"), entry("2")], {
      "PATCH setlists/l/": ({ body }: { body: { entries: Entry[] } }) =>
        new Promise((done) => {
          kept.push(body.entries);
          answer = () => done(setlist({ entries: body.entries.map((e) => entry(e.id, e)), revision: kept.length }));
        }),
    });
    await userEvent.selectOptions(await screen.findByLabelText("Form of Title 1"), "x");
    await userEvent.selectOptions(screen.getByLabelText("Form of Title 2"), "x");
    await waitFor(() => expect(kept.length).toBe(1));
    answer?.();
    await waitFor(() => expect(kept.length).toBe(2));
    await userEvent.selectOptions(screen.getByLabelText("What happens after Title 1"), "attacca");
    answer?.();
    await waitFor(() => expect(written(asked).length).toBe(3));
    expect(kept.at(-1)?.map((e) => [e.form, e.link])).toEqual([
      ["x", "attacca"],
      ["x", "wait"],
    ]);
    answer?.();
  });
  it("keeps a note for the crew and the talk that is expected, and leaves a talk that is none as it was", async () => {
    let revision = 1;
    const asked = opened([entry("1"), entry("2")], {
      "PATCH setlists/l/": () => setlist({ entries: [entry("1"), entry("2")], revision: ++revision }),
    });
    await userEvent.type(await screen.findByLabelText("Note for Title 1"), "Pia takes the second mic{Enter}");
    const talk = screen.getByLabelText<HTMLInputElement>(/^Expected talk after Title 1/);
    await userEvent.type(talk, "1:30{Enter}");
    await userEvent.clear(talk);
    await userEvent.type(talk, "long{Enter}");
    await waitFor(() => expect(talk.value).toBe(""));
    const rows = written(asked).map((b) => (b as { entries: Entry[] }).entries[0]);
    expect(rows.map((e) => [e?.note, e?.link_seconds])).toEqual([["Pia takes the second mic", 0], ["", 90]]); // prettier-ignore
  });
  it("puts an entry back where the server refuses that it goes", async () => {
    opened([entry("1"), entry("2")], { "PATCH setlists/l/": () => refusal("No.") });
    await userEvent.click(await screen.findByRole("button", { name: "Take Title 2 out" }));
    expect((await screen.findAllByText("No.")).length).toBeGreaterThan(0);
    await waitFor(() => expect(screen.getByRole("link", { name: "Title 2" })).toBeTruthy());
  });
  it("takes the last change back by button and key, and does it again", async () => {
    const asked = opened([entry("1")], {
      "POST setlists/l/undo/": setlist({ entries: [entry("1")], revision: 2, can_redo: true }),
      "POST setlists/l/redo/": setlist({ entries: [entry("1")], revision: 3, can_undo: true }),
    }, { can_undo: true }); // prettier-ignore
    await userEvent.click(await screen.findByRole("button", { name: "Undo" }));
    const redo = screen.getByRole("button", { name: "Redo" });
    await waitFor(() => expect(redo).toHaveProperty("disabled", false));
    await userEvent.keyboard("{Control>}{Shift>}z{/Shift}{/Control}");
    await waitFor(() => expect(redo).toHaveProperty("disabled", true));
    const sent = asked.filter((a) => a.method === "POST");
    expect(sent.map((a) => [a.path, a.body])).toEqual([
      ["setlists/l/undo/", { revision: 1 }],
      ["setlists/l/redo/", { revision: 2 }],
    ]);
  });
  it("offers to begin where there is none", async () => {
    const asked = serve({ "GET setlists/": [], "POST setlists/": setlist() });
    show(<SetlistPage band="Band" />, "/setlists", "/setlists");
    await userEvent.click(await screen.findByRole("button", { name: "New setlist" }));
    await waitFor(() => expect(asked.map((a) => a.method)).toContain("POST"));
  });
});

describe("a show", () => {
  it("is made with a line-up, loaded, and led to the stage", async () => {
    const asked = serve({
      "GET rigs/": [rig(), rig({ id: "hall", name: "Hall" })],
      "GET line-ups/": [{ id: "u", name: "Without Pilar", position: 0, away: ["p"], guests: {} }],
      "POST shows/": { id: "t" },
      "POST shows/t/load/": { show: "t" },
    });
    show(<ShowDialog setlist={setlist()} show={null} onClose={vi.fn()} />, "/setlists/l", "/setlists/:id");
    await screen.findByRole("option", { name: "Hall" });
    await userEvent.selectOptions(screen.getByLabelText("Rig"), "hall");
    await screen.findByRole("option", { name: "Without Pilar" });
    await userEvent.selectOptions(screen.getByLabelText("Who is on tonight"), "u");
    await userEvent.click(screen.getByRole("button", { name: "Take to the stage" }));
    expect(await screen.findByText("elsewhere")).toBeTruthy();
    expect(asked.find((a) => a.path === "shows/")?.body).toEqual({
      title: "Thursday",
      setlist: "l",
      rig: "hall",
      date: null,
      line_up: "u",
      voice: "",
    });
  });
  it("stays open and says why, where it does not load", async () => {
    serve({
      "GET rigs/": [rig()],
      "GET players/": [],
      "POST shows/": { id: "t" },
      "POST shows/t/load/": () => refusal("Click would be heard in the house."),
    });
    show(<ShowDialog setlist={setlist()} show={null} onClose={vi.fn()} />);
    await userEvent.click(await screen.findByRole("button", { name: "Take to the stage" }));
    expect((await screen.findAllByText("Click would be heard in the house.")).length).toBeGreaterThan(0);
    expect(screen.getByRole("dialog")).toBeTruthy();
  });
  it("cannot go anywhere without a rig", async () => {
    serve({ "GET rigs/": [], "GET players/": [] });
    show(<ShowDialog setlist={setlist()} show={null} onClose={vi.fn()} />);
    expect(await screen.findByText(/There is no rig yet/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Take to the stage" })).toHaveProperty("disabled", true);
  });
});

describe("two people at one setlist", () => {
  it("shows what the other one changed, and makes one's own change once more against that", async () => {
    const theirs = setlist({ name: "Friday", entries: [entry("1"), entry("2")], revision: 2 });
    const answers = [
      new Response(
        JSON.stringify({
          problems: [{ code: "changed-meanwhile", message: "Hakon changed “Thursday” meanwhile." }],
          current: theirs,
        }),
        { status: 409 },
      ),
      { ...theirs, slot_minutes: 60, revision: 3 },
    ];
    const asked = serve({
      "GET setlists/": [setlist({ entries: [entry("1")] })],
      "GET songs/": [],
      "GET shows/": [],
      "GET players/": [],
      "GET rigs/": [rig()],
      "PATCH setlists/l/": () => answers.shift(),
    });
    show(
      <>
        <SetlistPage band="Band" />
        <RowConflictDialog />
      </>,
      "/setlists/l",
      "/setlists/:id",
    );
    const name = await screen.findByLabelText("Name of the setlist");
    await userEvent.clear(name);
    await userEvent.type(name, "Mine{Enter}");
    expect(await screen.findByText("Hakon changed “Thursday” meanwhile.")).toBeTruthy();
    expect(screen.getByText("“Title 2” is new")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Make mine as well" }));
    await waitFor(() =>
      expect(written(asked)).toEqual([
        { name: "Mine", revision: 1 },
        { name: "Mine", revision: 2 },
      ]),
    );
  });
  it("makes a song of click alone, and puts it at the end", async () => {
    const asked = opened([entry("1")], {
      "POST songs/": { id: "made", title: "Patter" },
      "PATCH setlists/l/": setlist({ entries: [entry("1")] }),
    });
    await userEvent.click(await screen.findByRole("button", { name: "Add a song" }));
    await userEvent.click(await screen.findByRole("menuitem", { name: "A new song, click alone" }));
    await userEvent.type(await screen.findByLabelText("Title"), "Patter");
    await userEvent.click(screen.getByRole("checkbox", { name: "Until it is stopped" }));
    await userEvent.click(screen.getByRole("button", { name: "Make the song" }));
    await waitFor(() => expect(written(asked)).toHaveLength(1));
    expect((written(asked)[0] as { entries: { song: string }[] }).entries.map((e) => e.song)).toEqual(["song-1", "made"]); // prettier-ignore
  });
});
