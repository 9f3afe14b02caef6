import type { BandState } from "@/api/types";

export interface BeatNow {
  bar: number;
  beat: number;
  /** How far the beat has gone, 0 to 1. */
  phase: number;
}

/** Longer than this nobody is told anything: a position is not carried on any further. */
export const LONGEST_MS = 2000;

export const isMoving = (state: BandState) => state.status === "playing" || state.status === "count_in";

const HALF_PICTURE_MS = 1000 / 60 / 2;

/** The moment that a picture drawn now is of: it is there until the next one, and so as often early as late. */
export const ofPicture = (now: number | undefined) => (now === undefined ? undefined : now + HALF_PICTURE_MS);

/** Where the show is at a moment of the server's clock, in ms, from what was told last: the beats go on as they were. */
export function beatNow(state: BandState, now: number | undefined): BeatNow {
  const { bar, beat, beats, phase, beat_ms: length } = state;
  const moving = isMoving(state);
  if (!moving || now === undefined || length <= 0) return { bar, beat, phase: moving ? phase : 0 };
  const since = Math.min(LONGEST_MS, Math.max(-length, now - state.at));
  const gone = Math.max(0, beat - 1 + phase + since / length);
  const whole = Math.floor(gone);
  return { bar: bar + Math.floor(whole / beats), beat: (whole % beats) + 1, phase: gone - whole };
}
