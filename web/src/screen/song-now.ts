import type { BandShow, BandState } from "@/api/types";
import { isMoving, LONGEST_MS } from "@/band/beat-now";

export type EntryOnScreen = BandShow["entries"][number];
export type FileOnScreen = NonNullable<EntryOnScreen["screen"]["film"]>["file"];

/** Seconds of the song after its bar 1 at a moment of the server's clock, in ms. */
export function songSeconds(state: BandState, now: number | undefined): number {
  if (!isMoving(state) || now === undefined) return state.song_s;
  return state.song_s + Math.min(LONGEST_MS, Math.max(-LONGEST_MS, now - state.at)) / 1000;
}

export interface Lines {
  now: string;
  next: string;
}

/** The line that is sung, and the one after it: of this step, or the first of the one that comes. */
export function linesAt(entry: EntryOnScreen, state: BandState, at: number): Lines {
  const step = entry.screen.steps[state.step];
  const lines = step?.lines ?? [];
  const here = state.counting ? -1 : lines.filter((l) => l.at_s <= at + 0.001).length - 1;
  const coming = state.coming?.step ?? null;
  const after = coming === null ? undefined : entry.screen.steps[coming]?.lines[0];
  return { now: lines[here]?.text ?? "", next: (lines[here + 1] ?? after)?.text ?? "" };
}

/** The picture that is shown, null for black. */
export function stillAt(entry: EntryOnScreen, state: BandState, at: number): FileOnScreen | null {
  const step = entry.screen.steps[state.step];
  const within = step?.stills.filter((s) => s.at_s <= at + 0.001).at(-1);
  return within ? within.file : (step?.still ?? null);
}
