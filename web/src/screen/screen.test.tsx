import { act, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import type { BandShow, BandState } from "@/api/types";
import { chase } from "@/lib/film-chase";
import { serve, show } from "@/test/helpers";

import { ScreenPage } from "./screen-page";
import { linesAt, songSeconds, stillAt } from "./song-now";

const state = (more: Partial<BandState> = {}): BandState => ({
  status: "playing",
  at: 1000,
  entry: 0,
  step: 0,
  round: 1,
  bar: 3,
  beat: 2,
  beats: 4,
  phase: 0.5,
  beat_ms: 500,
  counting: false,
  song_s: 4,
  coming: { step: 1, bar: 5, asked: false, turns: false },
  following: null,
  house_pulled: false,
  mix: {},
  ...more,
});
const RED = { id: "red", type: "image/png" };
const step = (at: number, mark: string, name: string) => ({
  step: at,
  section: `s${at}`,
  name,
  mark,
  colour: 2,
  first_bar: 4 * at + 1,
  bars: 4,
  meter: "4/4",
  ending: "attacca",
  words: "",
  note: "",
});
const band = (shows: "film" | "stills" | "words" | "black"): BandShow => ({
  title: "Thursday",
  entries: [
    {
      song: "boats",
      title: "Paper Boats",
      key: "G",
      bpm: 120,
      unit: "1",
      steps: [step(0, "A", "Verse"), step(1, "B", "Lift")],
      chords: [],
      screen: {
        shows,
        film: null,
        steps: [
          {
            lines: [
              { at_s: 0, text: "Tin horns under the window" },
              { at_s: 4, text: "paper moons on a string" },
            ],
            still: null,
            stills: [{ at_s: 3, file: RED }],
          },
          { lines: [{ at_s: 8, text: "Nearer, nearer" }], still: RED, stills: [{ at_s: 9, file: null }] },
        ],
      },
    },
  ],
  mixes: [],
});
const entry = band("words").entries[0] as BandShow["entries"][number];

describe("where the song is", () => {
  it("goes on by the server's clock, and stands where nothing plays", () => {
    expect(songSeconds(state(), 1500)).toBe(4.5);
    expect(songSeconds(state({ status: "stopped" }), 1500)).toBe(4);
    expect(songSeconds(state(), undefined)).toBe(4);
    expect(songSeconds(state(), 60_000)).toBe(6);
  });
  it("has the line that is sung, and the next one, of the step that comes where this one has none left", () => {
    expect(linesAt(entry, state(), 1)).toEqual({ now: "Tin horns under the window", next: "paper moons on a string" });
    expect(linesAt(entry, state(), 5)).toEqual({ now: "paper moons on a string", next: "Nearer, nearer" });
    expect(linesAt(entry, state({ step: 1, coming: null }), 9)).toEqual({ now: "Nearer, nearer", next: "" });
    expect(linesAt(entry, state({ counting: true }), -1)).toEqual({ now: "", next: "Tin horns under the window" });
  });
  it("has the picture that holds there, and black", () => {
    expect(stillAt(entry, state(), 2)).toBeNull();
    expect(stillAt(entry, state(), 3)).toEqual(RED);
    expect(stillAt(entry, state({ step: 1 }), 8.5)).toEqual(RED);
    expect(stillAt(entry, state({ step: 1 }), 9)).toBeNull();
  });
});

/** A film as the browser has it: it goes on with the clock of the test at its own pace, and seeks take a while. */
class Film extends EventTarget {
  duration = 60;
  paused = true;
  playbackRate = 1;
  currentTime = 0;
  private shown: VideoFrameRequestCallback | null = null;
  play = () => ((this.paused = false), Promise.resolve());
  pause = () => void (this.paused = true);
  requestVideoFrameCallback = (callback: VideoFrameRequestCallback) => ((this.shown = callback), 1);
  /** One picture at 25 frames a second. */
  turn(now: number) {
    if (!this.paused) this.currentTime += 0.04 * this.playbackRate;
    const callback = this.shown;
    const mediaTime = Math.floor(this.currentTime * 25) / 25;
    callback?.(now, { mediaTime, expectedDisplayTime: now } as VideoFrameCallbackMetadata);
  }
}

describe("a film that follows a clock", () => {
  beforeEach(() => vi.useFakeTimers({ toFake: ["setInterval", "clearInterval", "performance"] }));
  afterEach(() => vi.useRealTimers());

  const followed = (wanted: (at: number) => number | null, seconds: number, rate = 1, film = new Film()) => {
    const offs: number[] = [];
    const seen: boolean[] = [];
    const end = chase(film as unknown as HTMLVideoElement, { fps: 25, rate }, wanted, {
      onOff: (frames) => offs.push(frames),
      onShown: (shown) => seen.push(shown),
    });
    for (let n = 0; n < seconds * 25; n++) {
      const before = film.currentTime;
      vi.advanceTimersByTime(40);
      if (film.currentTime !== before) film.dispatchEvent(new Event("seeked"));
      film.turn(performance.now());
    }
    end();
    return { film, offs, seen };
  };

  it("is within a frame half a second after it began, and stays there", () => {
    const start = performance.now();
    const { offs, seen } = followed((at) => 20 + (at - start) / 1000, 4);
    expect(seen).toEqual([true]);
    expect(Math.max(...offs.slice(12).map(Math.abs))).toBeLessThanOrEqual(1);
  });
  it("runs slower with a song that is played slower, and is no frame off for it", () => {
    const start = performance.now();
    const { offs } = followed((at) => 20 + (0.6 * (at - start)) / 1000, 6, 0.6);
    expect(Math.max(...offs.slice(25).map(Math.abs))).toBeLessThanOrEqual(0.75);
  });
  it("is within a frame half a second after a jump", () => {
    const start = performance.now();
    const { offs } = followed((at) => (at - start < 2000 ? 0 : 31) + (at - start) / 1000, 4);
    const jumped = offs.findIndex((off) => Math.abs(off) > 100);
    expect(Math.max(...offs.slice(jumped < 0 ? 62 : jumped + 13).map(Math.abs))).toBeLessThanOrEqual(1);
  });
  it("is black and stands before its beginning, after its end and while nothing plays", () => {
    for (const place of [null, -1, 61]) {
      const { film, seen } = followed(() => place, 1);
      expect(seen).toEqual([false]);
      expect(film.paused).toBe(true);
    }
  });
});

class Line {
  static last: Line;
  static readonly OPEN = 1;
  readyState = 1;
  onopen?: () => void;
  onmessage?: (e: { data: string }) => void;
  onclose?: () => void;
  constructor() {
    Line.last = this;
    queueMicrotask(() => this.onopen?.());
  }
  send(text: string) {
    if ("ping" in (JSON.parse(text) as object)) queueMicrotask(() => this.onmessage?.({ data: "{}" }));
  }
  close() {
    this.readyState = 3;
  }
  tell(what: object) {
    act(() => this.onmessage?.({ data: JSON.stringify(what) }));
  }
}

describe("a screen", () => {
  beforeEach(() => {
    localStorage.clear();
    vi.stubGlobal("WebSocket", Line);
  });
  afterEach(() => vi.unstubAllGlobals());

  const opened = async (query: string, shows: Parameters<typeof band>[0]) => {
    serve({ "GET join/": { stage_port: 1 } });
    show(<ScreenPage />, `/screen?code=abcdef${query}`, "/screen");
    await userEvent.click(await screen.findByRole("button", { name: "Join" }));
    await waitFor(() => expect(Line.last).toBeTruthy());
    Line.last.tell({ pass: "token" });
    Line.last.tell({ phone: { name: "Screen", right: "nothing", player: "" } });
    Line.last.tell({ show: band(shows) });
    Line.last.tell({ state: state() });
  };

  it("is joined by the code and asks what it is for", async () => {
    await opened("", "words");
    await userEvent.click(await screen.findByRole("button", { name: /^Words/ }));
    expect(await screen.findByText("paper moons on a string")).toBeTruthy();
    expect(screen.getByText(/Nearer, nearer/)).toBeTruthy();
  });
  it("shows the audience what the entry says, and is black where nothing plays", async () => {
    await opened("&show=audience", "words");
    expect(await screen.findByText("paper moons on a string")).toBeTruthy();
    Line.last.tell({ state: state({ status: "stopped" }) });
    expect(await screen.findByText("Black: nothing is shown now.")).toBeTruthy();
  });
  it("shows the conductor mark, bar and beat, and what comes", async () => {
    await opened("&show=conductor", "black");
    expect(await screen.findByText("Verse")).toBeTruthy();
    expect(screen.getByText("then B Lift")).toBeTruthy();
    expect(screen.getByText("Bar").nextSibling?.textContent).toBe("3");
  });
  it("tells the time of day", async () => {
    await opened("&show=clock", "black");
    expect((await screen.findByRole("time")).textContent).toMatch(/^\d\d:\d\d:\d\d$/);
  });
});
