import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { ClickPage, Cues, Voice } from "@/api/types";
import { refusal, serve, showSong, song } from "@/test/helpers";

import { voiceName } from "./voice-options";
import { asWav } from "./wav";

const page: ClickPage = {
  band: {}, whole: { accent: "wood", beat: "rim", division: "rim", count_in: "wood", gain_db: -6, divisions: 1, pitches: {}, levels: {}, from_bar: 1, to_bar: null, silent: [] },
  meters: [{ key: "4/4", beats: 4, usual: "a b b b", pattern: "a b b b", spans: [[1, 16]] }],
}; // prettier-ignore
const step = (section: string, name: string, mark: string) => ({
  section,
  name,
  mark,
  colour: 1,
  spoken: name,
  first_bar: 1,
});
const cues: Cues = {
  passes: [
    { step: null, round: 1, into: step("a", "Verse", "A"), seconds: 2, beats: [0, 1, 2, 3].map((i) => ({ at_s: i / 2, bar: 0, beat: i + 1 })), words: [], left_out: [] },
    {
      step: step("a", "Verse", "A"), round: 1, into: step("b", "Chorus", "B"), seconds: 2, beats: [0, 1, 2, 3].map((i) => ({ at_s: i / 2, bar: 8, beat: i + 1 })),
      words: [{ text: "Chorus", kind: "name", at_s: 0, start_s: -0.1, end_s: 0.6, fast: false }, { text: "three", kind: "count", at_s: 1, start_s: 0.9, end_s: 1.3, fast: true }],
      left_out: [{ text: "two", at_s: 0.5, why: "covered" }, { text: "all up", at_s: 1, why: "call" }],
    },
  ],
  calls: [{ section: "a", text: "" }, { section: "b", text: "Chorus, three" }],
  words: [
    { text: "Chorus", source: "recording", seconds: 0.7, onset_ms: 100, shift_ms: 0, count: false }, { text: "…", source: "silent", seconds: 0, onset_ms: 0, shift_ms: 0, count: false },
    { text: "three", source: "engine", seconds: 0.4, onset_ms: 98.5, shift_ms: -5, count: true },
  ],
  summary: { words: 2, shortened: 1, left_out: 2, gap_ms: 300 },
}; // prettier-ignore
const voice: Voice = {
  name: "flite/rms", speed: 1, pitch: 0, words: { Bridge: "Middle eight" }, shifts: { three: -5 }, palette: ["Hold", "Build"], language: "en", translated: ["en", "es"],
  voices: [{ name: "flite/rms", language: "en" }, { name: "es", language: "es" }, { name: "ar", language: "ar" }],
}; // prettier-ignore
const own = [{ id: "o1", kind: "word", name: "Chorus", seconds: 0.7, click_name: "own:o1" }, { id: "o2", kind: "click", name: "Pot", seconds: 0.1, click_name: "own:o2" }, { id: "o3", kind: "word", name: "Lift", seconds: 0.5, click_name: "own:o3" }]; // prettier-ignore

const opened = (more: Record<string, unknown> = {}) => {
  const asked = serve({
    "GET songs/s/": song(), "GET songs/s/chart/*": { bars: [], calls: [], seconds: 32, form_bars: 16 }, "GET uploads/*": [], "GET line-ups/": [], "GET songs/s/tonight/*": { standing: {}, gaps: [], looks: [], empty: [] },
    "GET songs/s/click/": page, "GET songs/s/cues/*": cues, "GET voice/": voice, "GET own-sounds/": own, "POST songs/s/edits/": song({ revision: 8 }), "PATCH voice/": voice, ...more,
  }); // prettier-ignore
  showSong("click");
  return asked;
};
const edits = (asked: ReturnType<typeof serve>) =>
  asked.filter((a) => a.path.endsWith("/edits/")).map((a) => (a.body as { args: unknown }).args);
const changes = (asked: ReturnType<typeof serve>) => asked.filter((a) => a.method === "PATCH").map((a) => a.body);

afterEach(() => vi.unstubAllGlobals());

describe("the cue lane", () => {
  it("shows the first call, each word as long as it is where it is heard, and what gave way", async () => {
    opened();
    const lane = await screen.findByRole("group", { name: "Words into B Chorus, each where it is heard" });
    const [name, three] = within(lane).getAllByTitle(/heard at/);
    expect(name?.title).toBe("Chorus, heard at bar 8, beat 1");
    expect(three?.title).toBe("three, heard at bar 8, beat 3, shortened to fit");
    const width = (li?: HTMLElement) => Number.parseFloat(li?.style.width ?? "");
    expect(width(name) / width(three)).toBeCloseTo(0.7 / 0.4, 5);
    expect(screen.getByText("Left out: two – the name takes its beat.")).toBeTruthy();
    expect(screen.getByText("Left out: all up – gives way to the call.")).toBeTruthy();
    await userEvent.selectOptions(screen.getByLabelText("Which words are shown"), "Count-in, into A Verse");
    expect(screen.queryByText(/^Left out/)).toBeNull();
    await userEvent.click(screen.getByRole("button", { name: "“Chorus, three”: show the words into Chorus" }));
    expect(screen.getByText("Left out: all up – gives way to the call.")).toBeTruthy();
    expect(screen.getByText("2 words left out: the lane shows why.")).toBeTruthy();
  });
  it("is changed section by section: called or not, earlier, otherwise", async () => {
    const asked = opened();
    await userEvent.click(await screen.findByLabelText("Chorus is called"));
    await userEvent.selectOptions(screen.getByLabelText("How early Chorus is called"), "2");
    await userEvent.type(screen.getByLabelText("What is said for Chorus"), "Big one{Enter}");
    await userEvent.selectOptions(screen.getByLabelText("How early"), "4");
    await userEvent.selectOptions(screen.getByLabelText("What the count-in is struck on"), "sticks");
    await waitFor(() =>
      expect(edits(asked)).toEqual([
        { section: "b", called: false },
        { section: "b", lead: 2 },
        { section: "b", cue: "Big one" },
        { lead: 4 },
        { count_in_sticks: true },
      ]),
    );
  });
});

describe("the cue voice", () => {
  it("is chosen by its language, and refused where it is not installed", async () => {
    const asked = opened({
      "PATCH voice/": () => refusal("The cue voice “es” is not installed: choose another voice."),
    });
    await userEvent.selectOptions(await screen.findByLabelText("Voice"), "Spanish");
    expect(
      (await screen.findAllByText("The cue voice “es” is not installed: choose another voice.")).length,
    ).toBeGreaterThan(0);
    expect(changes(asked)).toEqual([{ name: "es" }]);
    expect(screen.getByText(/No sound in this voice: …/)).toBeTruthy();
    expect(screen.getByText(/Own recordings for 1 of 3 words/).textContent).toContain("The voice says three.");
    expect(["xx-nothing", "es-419"].map((language) => voiceName({ name: language, language }))).toEqual([
      expect.any(String),
      "Latin American Spanish",
    ]);
  });
  it("has every word listed: moved, said otherwise, its recordings taken away", async () => {
    const asked = opened({ "DELETE own-sounds/o1/": null });
    await userEvent.click(await screen.findByRole("button", { name: "Words and recordings" }));
    const dialog = within(await screen.findByRole("dialog", { name: "The words of Paper Boats" }));
    expect(dialog.getByRole("row", { name: /^three voice 0.40 s 99 ms/ })).toBeTruthy();
    await userEvent.clear(dialog.getByLabelText(/Move “three”/));
    await userEvent.type(dialog.getByLabelText(/Move “three”/), "12{Enter}");
    await userEvent.type(dialog.getByLabelText("Say for “Chorus” instead"), "Hook{Enter}");
    await userEvent.click(dialog.getByRole("button", { name: "Say “Bridge” as it is again" }));
    await userEvent.click(dialog.getByRole("button", { name: "Remove the recording of “Chorus”" }));
    expect(
      within(dialog.getByRole("region", { name: "Recordings that this song does not use" })).getByText("Lift"),
    ).toBeTruthy();
    await waitFor(() =>
      expect(changes(asked)).toEqual([
        { shifts: { three: 12 } },
        { words: { Bridge: "Middle eight", Chorus: "Hook" } },
        // The word before may have been answered by then, or be on its way.
        { words: expect.objectContaining({ Bridge: "" }) as object },
      ]),
    );
    expect(asked.some((a) => a.method === "DELETE" && a.path === "own-sounds/o1/")).toBe(true);
  });
  it("takes a folder of files and says which it could not take", async () => {
    const asked = opened({
      "POST own-sounds/*": ({ path }: { path: string }) =>
        path.includes("bad") ? refusal("“bad.wav” is not sound.") : own[0],
    });
    await userEvent.click(await screen.findByRole("button", { name: "Words and recordings" }));
    const files = ["Chorus.wav", "bad.wav", "notes.txt"].map((name) => new File(["x"], name));
    fireEvent.change(document.querySelector("[role=dialog] input[type=file]") as HTMLInputElement, {
      target: { files },
    });
    expect(await screen.findByText("1 recording is taken: Chorus.")).toBeTruthy();
    expect(screen.getByText("“bad.wav” is not sound.")).toBeTruthy();
    expect(
      asked
        .filter((a) => a.path.startsWith("own-sounds/?"))
        .map((a) => new URLSearchParams(a.path.split("?")[1]).get("file")),
    ).toEqual(["Chorus.wav", "bad.wav"]);
  });
  it("says why there is no microphone", async () => {
    opened();
    await userEvent.click(await screen.findByRole("button", { name: "Words and recordings" }));
    await userEvent.click(screen.getByRole("button", { name: "Record “three”" }));
    expect(await screen.findByText(/lends its microphone only to pages opened on the machine itself/)).toBeTruthy();
    vi.stubGlobal("MediaRecorder", class {});
    vi.stubGlobal("navigator", { ...navigator, mediaDevices: { getUserMedia: () => Promise.reject(new Error("no")) } });
    await userEvent.click(screen.getByRole("button", { name: "Record “three”" }));
    expect(await screen.findByText(/allow it for this page/)).toBeTruthy();
  });
});

describe("a recording as a file", () => {
  it("is mono WAV of 16 bits, clipped and not wrapped", async () => {
    const reader = new FileReader();
    reader.readAsArrayBuffer(asWav(new Float32Array([0, 0.5, -2, 2]), 48_000));
    await new Promise((resolve) => reader.addEventListener("load", resolve));
    const raw = new DataView(reader.result as ArrayBuffer);
    const text = (at: number) => String.fromCharCode(...[0, 1, 2, 3].map((i) => raw.getUint8(at + i)));
    expect([text(0), text(8), text(36), raw.byteLength, raw.getUint32(24, true), raw.getUint32(40, true)]).toEqual([
      "RIFF",
      "WAVE",
      "data",
      52,
      48_000,
      8,
    ]);
    expect([0, 1, 2, 3].map((i) => raw.getInt16(44 + 2 * i, true))).toEqual([0, 16_384, -32_767, 32_767]);
  });
  it("edits the words that are said on the spot", async () => {
    let kept = voice;
    const asked = opened({
      "GET voice/": () => kept,
      "PATCH voice/": ({ body }: { body: Partial<Voice> }) => (kept = { ...kept, ...body }),
    });
    await userEvent.click(await screen.findByRole("button", { name: "Words on the spot" }));
    const words = within(screen.getByRole("dialog"));
    await userEvent.click(words.getByRole("button", { name: "Build: one up" }));
    await userEvent.type(words.getByLabelText("Another word"), "  Soft {Enter}");
    await words.findByRole("button", { name: "Remove Soft" });
    const first = words.getByLabelText("Word 1");
    await userEvent.clear(first);
    await userEvent.type(first, "Stay{Enter}");
    await userEvent.click(await words.findByRole("button", { name: "Remove Hold" }));
    expect(changes(asked)).toEqual(
      [
        ["Build", "Hold"],
        ["Build", "Hold", "Soft"],
        ["Stay", "Hold", "Soft"],
        ["Stay", "Soft"],
      ].map((palette) => ({ palette })),
    );
  });
});
