import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

const pushed: number[] = [];
const speaker = { onPlayed: (_: number) => undefined as void };
vi.mock("./speaker", () => ({
  RATE: 48000,
  Speaker: class {
    latency = 0;
    set onPlayed(listener: (frames: number) => void) {
      speaker.onPlayed = listener;
    }
    open = () => Promise.resolve();
    clear = () => void (pushed.length = 0);
    push = (sound: ArrayBuffer) => void pushed.push(sound.byteLength);
    close = () => undefined;
  },
}));

import { Ears, type EarsState } from "./ears";

class Line {
  static all: Line[] = [];
  static readonly OPEN = 1;
  readyState = 1;
  sent: unknown[] = [];
  onopen?: () => void;
  onclose?: () => void;
  onmessage?: (e: { data: unknown }) => void;
  constructor() {
    Line.all.push(this);
  }
  send = (text: string) => void this.sent.push(JSON.parse(text));
  close = () => {
    this.readyState = 3;
    this.onclose?.();
  };
  tell = (what: object) => this.onmessage?.({ data: JSON.stringify(what) });
}

const wish = { song: "s", bar: 5, form: "full", click: true, cues: false };

describe("hearing a song", () => {
  let states: EarsState[] = [];
  let ears: Ears;
  const line = (i = 0) => Line.all[i] as Line;
  beforeEach(() => {
    Line.all = [];
    states = [];
    vi.stubGlobal("WebSocket", Line);
    vi.spyOn(performance, "now").mockReturnValue(0);
    ears = new Ears();
    ears.onState = (state) => states.push(state);
  });
  afterEach(() => {
    vi.unstubAllGlobals();
    vi.restoreAllMocks();
  });

  it("asks for the bar, plays what comes, and says how much was played", async () => {
    await ears.hear(wish);
    line().onopen?.();
    expect(line().sent).toEqual([{ hear: "s", form: null, bar: 5, click: true, cues: false }]);
    line().onmessage?.({ data: new ArrayBuffer(8) });
    expect(pushed).toEqual([8]);
    speaker.onPlayed(4800);
    expect(states).toEqual(["idle", "opening", "hearing"]);
    expect(line().sent.at(-1)).toEqual({ played: 4800 });
  });
  it("knows the bar and how far into it, as it is heard", async () => {
    await ears.hear(wish);
    line().tell({ bars: [{ frame: 0, bar: 5, frames: 96_000 }, { frame: 96_000, bar: 6, frames: 96_000 }] }); // prettier-ignore
    expect(ears.place()).toEqual({ bar: 5, phase: 0 });
    speaker.onPlayed(120_000);
    expect(ears.place()).toEqual({ bar: 6, phase: 0.25 });
  });
  it("is idle once all of it was heard, and not before", async () => {
    await ears.hear(wish);
    line().tell({ ended: 96_000 });
    speaker.onPlayed(48_000);
    expect(states.at(-1)).toBe("hearing");
    speaker.onPlayed(96_000);
    expect(states.at(-1)).toBe("idle");
    expect(line().readyState).toBe(3);
  });
  it("stops with the sentence of the server", async () => {
    const problems = vi.fn();
    ears.onProblem = problems;
    await ears.hear(wish);
    line().tell({ problems: [{ code: "song-unknown", message: "That song is not there any more." }] });
    expect(problems).toHaveBeenCalledWith([{ code: "song-unknown", message: "That song is not there any more." }]);
    expect(states.at(-1)).toBe("idle");
  });
  it("lets a new wish take the place of the old, whose sound is not played any more", async () => {
    await ears.hear(wish);
    await ears.hear({ ...wish, bar: 9 });
    expect(line().readyState).toBe(3);
    line().onmessage?.({ data: new ArrayBuffer(8) });
    expect(pushed).toEqual([]);
    ears.apart(["bass"], []);
    expect(line(1).sent.at(-1)).toEqual({ solo: ["bass"], mute: [] });
  });
});
