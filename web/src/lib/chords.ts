/** A chord with printed accidentals: B♭, F♯m7♭5. */
export const sign = (chord: string): string =>
  chord.replace(/(?<=[A-G])b(?!b)|(?<=[(,/])b(?=\d)|(?<=\d)b(?=\d)/g, "♭").replace(/#/g, "♯");

/** The chords of some bars as they are typed; nothing for bars without any. */
export function chordText(bars: string[]): string {
  return bars.some(Boolean) ? bars.join(" | ") : "";
}
