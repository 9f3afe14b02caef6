/** The pattern of a bar, beat by beat: each beat a word of a (accent), b (beat), d (division), s (silent). */
export type Beats = string[];

export const LETTERS = ["a", "b", "s"] as const;
export const MOST_PARTS = 4;

export const beatsOf = (pattern: string): Beats => pattern.split(/\s+/).filter(Boolean);

const next = (letter: string, order: string): string => order[(order.indexOf(letter) + 1) % order.length] ?? "b";

/** The pattern with one part of one beat pressed: a beat goes accent, beat, silent; what lies within one, division or silent. */
export function pressed(beats: Beats, beat: number, part: number): Beats {
  return beats.map((word, i) =>
    i !== beat
      ? word
      : [...word].map((letter, k) => (k !== part ? letter : next(letter, k === 0 ? "abs" : "ds"))).join(""),
  );
}

/** One beat in so many parts. */
export function parted(beats: Beats, beat: number, parts: number): Beats {
  return beats.map((word, i) =>
    i !== beat ? word : (word[0] ?? "b") + (word[0] === "s" ? "s" : "d").repeat(parts - 1),
  );
}

export const written = (beats: Beats): string => beats.join(" ");
