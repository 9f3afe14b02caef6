import { act, fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { Song, Upload } from "@/api/types";
import { chartBars, openedSong, refusal, serve, show, showSong, song, stem } from "@/test/helpers";

import { SectionDialog } from "@/chart/section-dialog";
import { StemDialog } from "@/intake/stem-dialog";
import { StemList } from "@/intake/stem-list";
import { UploadList } from "@/intake/upload-list";

const chart = { bars: chartBars(16), calls: [{ bar: 8, text: "Chorus" }], seconds: 32, form_bars: 16 };
const opened = (more: Record<string, unknown> = {}, of = song()) =>
  openedSong({ "GET songs/s/": of, "GET songs/s/chart/*": chart, ...more });
const edits = (asked: ReturnType<typeof serve>) => asked.filter((a) => a.path.endsWith("/edits/")).map((a) => a.body);

describe("the chart", () => {
  it("shows bars, sections and calls, and makes a section of chosen bars", async () => {
    const asked = opened({ "POST songs/s/edits/": song({ revision: 8 }) });
    const bar = await screen.findByRole("button", { name: "Bar 3, Verse, 4/4" });
    expect(screen.getByText("“Chorus”")).toBeTruthy();
    fireEvent.pointerDown(bar, { button: 0, pointerId: 1 });
    fireEvent.keyDown(bar, { key: "ArrowDown", shiftKey: true });
    const chosen = within(screen.getByRole("region", { name: "Chosen bars" }));
    expect(chosen.getByText("Bars 3 to 11")).toBeTruthy();
    fireEvent.click(chosen.getByRole("button", { name: "One bar fewer" }));
    await userEvent.type(chosen.getByLabelText("Name of the section"), "Bridge{Enter}");
    await waitFor(() =>
      expect(edits(asked)).toEqual([
        {
          do: "mark_section",
          args: { first: 3, last: 10, name: "Bridge", ids: [expect.any(String), expect.any(String)] },
          revision: 7,
          changes: true,
        },
      ]),
    );
    await waitFor(() => expect(screen.queryByRole("region", { name: "Chosen bars" })).toBeNull());
  });
  it("draws a section before the server has answered, and takes it away where it is refused", async () => {
    let refuse: (answer: Response) => void = () => undefined;
    opened({ "POST songs/s/edits/": () => new Promise<Response>((done) => (refuse = done)) });
    fireEvent.pointerDown(await screen.findByRole("button", { name: /^Bar 5,/ }), { button: 0, pointerId: 1 });
    await userEvent.type(screen.getByLabelText("Name of the section"), "Bridge{Enter}");
    expect(await screen.findByRole("button", { name: "Bar 5, Bridge, 4/4" })).toBeTruthy();
    expect(screen.getAllByRole("region", { name: /^[A-D] / }).map((r) => r.getAttribute("aria-label"))).toEqual([
      "A Verse",
      "B Bridge",
      "C Verse",
      "D Chorus",
    ]);
    refuse(refusal("That cannot be."));
    expect(await screen.findByRole("button", { name: "Bar 5, Verse, 4/4" })).toBeTruthy();
  });
  it("brings the bars and the name back where a section is refused", async () => {
    opened({ "POST songs/s/edits/": () => refusal("A song has 1000 sections at most.") });
    fireEvent.pointerDown(await screen.findByRole("button", { name: /^Bar 5,/ }), { button: 0, pointerId: 1 });
    await userEvent.type(screen.getByLabelText("Name of the section"), "Bridge{Enter}");
    expect((await screen.findAllByText("A song has 1000 sections at most.")).length).toBeGreaterThan(0);
    expect(await screen.findByLabelText("Name of the section")).toHaveProperty("value", "Bridge");
  });
  it("shows a typed fact, and what undo brings back, before the server has answered", async () => {
    const waiting: ((answer: Response) => void)[] = [];
    const late = () => new Promise<Response>((done) => waiting.push(done));
    const answer = (changes: object) => waiting.shift()?.(new Response(JSON.stringify(changes), { status: 200 }));
    opened({ "POST songs/s/edits/": late, "POST songs/s/undo/": late }, song({ key: "Em" }));
    const key = await screen.findByLabelText("Key");
    await userEvent.clear(key);
    await userEvent.type(key, "G{Enter}");
    await waitFor(() => expect(waiting).toHaveLength(1));
    answer({ key: "G", revision: 8, can_undo: true });
    await waitFor(() => expect(screen.getByRole("button", { name: "Undo" })).toHaveProperty("disabled", false));
    await userEvent.click(screen.getByRole("button", { name: "Undo" }));
    await waitFor(() => expect(key).toHaveProperty("value", "Em"));
    expect(waiting).toHaveLength(1);
    waiting.shift()?.(refusal("There is nothing to take back."));
    await waitFor(() => expect(key).toHaveProperty("value", "G"));
  });
  it("is not taken back to what it was by an answer that was on its way while it was edited", async () => {
    const reads: ((of: Song) => void)[] = [];
    let opening = true;
    opened({
      "GET songs/s/": () => {
        if (!opening) return new Promise<Song>((done) => reads.push(done));
        opening = false;
        return song({ key: "Em" });
      },
      "POST songs/s/edits/": { key: "G", revision: 8, can_undo: true },
    });
    const key = await screen.findByLabelText("Key");
    // Somebody comes back to the page: it is read again.
    window.dispatchEvent(new Event("visibilitychange"));
    await waitFor(() => expect(reads).toHaveLength(1));
    await userEvent.clear(key);
    await userEvent.type(key, "G{Enter}");
    const undo = screen.getByRole("button", { name: "Undo" });
    await waitFor(() => expect(undo).toHaveProperty("disabled", false));
    reads[0]?.(song({ key: "Em" }));
    await act(() => new Promise((done) => setTimeout(done, 50)));
    expect(key).toHaveProperty("value", "G");
    expect(undo).toHaveProperty("disabled", false);
  });
  it("brings a fact back to what the song has, where it is refused", async () => {
    opened({ "POST songs/s/edits/": () => refusal("“fast” is not a tempo.") });
    const tempo = await screen.findByLabelText<HTMLInputElement>("Tempo in beats a minute");
    const before = tempo.value;
    await userEvent.clear(tempo);
    await userEvent.type(tempo, "fast{Enter}");
    expect(await screen.findByText("“fast” is not a tempo.")).toBeTruthy();
    await waitFor(() => expect(tempo.value).toBe(before));
  });
  it("keeps the bars chosen and says why, where an edit is refused", async () => {
    opened({ "POST songs/s/edits/": () => refusal("A tempo of 0 cannot be played.") });
    fireEvent.pointerDown(await screen.findByRole("button", { name: /^Bar 5,/ }), { button: 0, pointerId: 1 });
    await userEvent.type(screen.getByLabelText("Tempo from bar 5"), "0{Enter}");
    expect((await screen.findAllByText("A tempo of 0 cannot be played.")).length).toBeGreaterThan(0);
    expect(screen.getByLabelText("Tempo from bar 5")).toHaveProperty("value", "0");
  });
  it("reads the song again when somebody else was quicker", async () => {
    const asked = opened({ "POST songs/s/edits/": () => refusal("Hakon changed it meanwhile.", 409) });
    const key = await screen.findByLabelText("Key");
    await userEvent.clear(key);
    await userEvent.type(key, "E{Enter}");
    expect((await screen.findAllByText("Hakon changed it meanwhile.")).length).toBeGreaterThan(0);
    await waitFor(() => expect(asked.filter((a) => a.path === "songs/s/").length).toBeGreaterThan(1));
  });
  it("takes back by key anywhere but in a text field", async () => {
    const asked = opened({ "POST songs/s/undo/": song({ revision: 8 }) }, song({ can_undo: true }));
    await screen.findByRole("button", { name: /^Bar 1,/ });
    fireEvent.keyDown(screen.getByLabelText("Key"), { key: "z", ctrlKey: true });
    fireEvent.keyDown(document.body, { key: "z", ctrlKey: true });
    await waitFor(() => expect(asked.filter((a) => a.path === "songs/s/undo/")).toHaveLength(1));
  });
  it("says a song of nothing is not there", async () => {
    serve({ "GET songs/s/": () => refusal("That is not there, or not yours.", 404) });
    showSong();
    expect(await screen.findByText("That is not there, or not yours.")).toBeTruthy();
  });
});

describe("a section", () => {
  it("changes its name, its ending and its length", async () => {
    const edit = vi.fn(() => Promise.resolve(true));
    const s = song();
    show(
      <SectionDialog
        song={s}
        section={s.sections[0] as (typeof s.sections)[0]}
        index={0}
        edit={edit}
        onClose={vi.fn()}
      />,
    );
    const name = screen.getByLabelText("Name");
    await userEvent.clear(name);
    await userEvent.type(name, "Intro{Enter}");
    await userEvent.selectOptions(screen.getByLabelText("Where it ends"), "vamp");
    const length = screen.getByLabelText("Bars");
    await userEvent.clear(length);
    await userEvent.type(length, "6{Enter}");
    await userEvent.click(screen.getByRole("button", { name: "Colour plum" }));
    expect(edit.mock.calls).toEqual([
      ["rename_section", { section: "a", name: "Intro" }],
      ["set_ending", { section: "a", kind: "vamp", times: 2 }],
      ["resize_section", { section: "a", bars: 6 }],
      ["rename_section", { section: "a", colour: 3 }],
    ]);
    expect(screen.getByLabelText("Starts at bar")).toHaveProperty("disabled", true);
  });
});

describe("stems", () => {
  const edit = vi.fn(() => Promise.resolve(true));
  it("show who they cover, how loud they are, and what is wrong with them", async () => {
    serve({ "GET players/": [] });
    const stems = [
      stem("Bass", { purpose: "covers", covers_name: "Pilar", gain_db: -2 }),
      stem("Pads", { integrated_lufs: null }),
    ];
    const list = [
      {
        stem: "Pads",
        code: "silent",
        severity: "fault" as const,
        message: "“Pads” is silent.",
        value: null,
        unit: "",
        sure: 1,
        mend: null,
        state: "open" as const,
        at_s: 0,
      },
    ];
    show(<StemList song={song({ stems, findings: { ready: true, list } })} edit={edit} />);
    expect(screen.getByText("covers Pilar")).toBeTruthy();
    expect(screen.getByText("−22.0 LUFS")).toBeTruthy();
    expect(within(screen.getByRole("button", { name: /Stem ?Pads/ })).getAllByText("silent")).toHaveLength(2);
    await userEvent.click(screen.getByRole("button", { name: /Stem ?Bass/ }));
    expect(screen.getByRole("dialog", { name: "Bass" })).toBeTruthy();
    expect(
      screen.getByText("WAV, 44.1 kHz · 16 bit · sounds from 0.50 to 58.00 s · true peak −3.0 dBTP · ends clean"),
    ).toBeTruthy();
  });
  it("cover a player, are turned down with any minus, and go", async () => {
    serve({ "GET players/": [{ id: "p", name: "Pilar", part: "bass", position: 0 }] });
    edit.mockClear();
    show(<StemDialog song={song()} stem={stem("Bass")} edit={edit} onClose={vi.fn()} />);
    await screen.findByRole("option", { name: "covers Pilar" });
    await userEvent.selectOptions(screen.getByLabelText("Sounds"), "covers:p");
    await userEvent.selectOptions(screen.getByLabelText("Sounds"), "rehearsal");
    const gain = screen.getByLabelText("Gain in dB");
    await userEvent.clear(gain);
    await userEvent.type(gain, "−3,5{Enter}");
    await userEvent.click(screen.getByRole("button", { name: "Take the stem out" }));
    expect(edit.mock.calls).toEqual([
      ["set_stem", { stem: "Bass", covers: "p" }],
      ["set_stem", { stem: "Bass", covers: null, purpose: "rehearsal" }],
      ["set_stem", { stem: "Bass", gain_db: -3.5 }],
      ["remove_stem", { stem: "Bass" }],
    ]);
  });
});

describe("files on their way in", () => {
  const upload = (status: Upload["status"], more: Partial<Upload> = {}): Upload => ({
    id: status,
    song: "s",
    name: `${status}.wav`,
    size: 100,
    purpose: "",
    received: 40,
    status,
    progress: 0.5,
    code: "",
    message: "",
    stem: null,
    stem_name: "",
    group: "",
    ...more,
  });
  it("say what is being done, what went wrong, and what can be done", async () => {
    const [cancel, retry] = [vi.fn(), vi.fn()];
    const uploads = [upload("sending"), upload("reading"), upload("refused", { message: "“refused.wav” is empty." })];
    show(<UploadList uploads={uploads} has={() => false} cancel={cancel} retry={retry} />);
    expect(screen.getByText("broken off: drop the file again to go on")).toBeTruthy();
    expect(screen.getByText("“refused.wav” is empty.")).toBeTruthy();
    expect(screen.getAllByRole("progressbar").map((p) => p.getAttribute("value"))).toEqual(["0.325", "0.4", "0.5"]);
    await userEvent.click(screen.getByRole("button", { name: "Try refused.wav again" }));
    await userEvent.click(screen.getByRole("button", { name: "Cancel reading.wav" }));
    expect([retry.mock.calls, cancel.mock.calls]).toEqual([[["refused"]], [["reading"]]]);
  });
  it("are sent in pieces, going on where the server says it is", async () => {
    let received = 0;
    const made = () => upload(received >= 9 ? "waiting" : "sending", { id: "u", name: "a.wav", size: 9, received });
    let lost = true;
    const asked = opened({
      "POST uploads/": made,
      "GET uploads/u/": made,
      "PUT uploads/u/piece/*": () => {
        if (lost) {
          lost = false;
          received = 4;
          return new Response(JSON.stringify(made()), { status: 409 });
        }
        received = 9;
        return made();
      },
    });
    await screen.findByRole("button", { name: /^Bar 1,/ });
    const picker = document.querySelector("input[type=file]") as HTMLInputElement;
    fireEvent.change(picker, { target: { files: [new File(["123456789"], "a.wav")] } });
    await waitFor(() =>
      expect(asked.filter((a) => a.method === "PUT").map((a) => a.path)).toEqual([
        "uploads/u/piece/?offset=0",
        "uploads/u/piece/?offset=4",
      ]),
    );
    expect(asked.filter((a) => a.method === "PUT").map((a) => (a.body as Blob).size)).toEqual([9, 5]);
  });
});
