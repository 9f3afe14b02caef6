import type { Song } from "@/api/types";

const FACTS = ["title", "key", "note"] as const;
const OF_SECTION = ["name", "cue", "words", "note"] as const;
const NUMBER = /^\d{2,3}([.,]\d{1,6})?$/;

/**
 * What an edit that only writes down a typed value makes of a song. Everything that follows from a
 * rule (sections, lengths, times) is the core's to say: null.
 */
export function echo(song: Song, what: string, args: Record<string, unknown>): Partial<Song> | null {
  if (what === "set_facts") {
    const named = Object.entries(args);
    const plain = named.every(([name, value]) => (FACTS as readonly string[]).includes(name) && typeof value === "string" && (name !== "title" || value));
    return plain ? args : null;
  }
  if (what === "set_tempo") return tempoTyped(song, args);
  if (what === "rename_section") {
    const { section, ...rest } = args;
    const plain = Object.entries(rest).every(([name, value]) => (OF_SECTION as readonly string[]).includes(name) && typeof value === "string" && (name !== "name" || value.trim()));
    return plain ? { sections: song.sections.map((s) => (s.id === section ? { ...s, ...rest } : s)) } : null;
  }
  return null;
}

/** The one tempo of a song, typed anew. */
function tempoTyped(song: Song, { bpm, unit, bar = 1, ramp }: Record<string, unknown>): Partial<Song> | null {
  const [first, ...others] = song.tempo;
  if (!first || others.length || bar !== 1 || ramp || typeof bpm !== "string" || !NUMBER.test(bpm.trim())) return null;
  return { tempo: [{ ...first, bpm: bpm.trim().replace(",", "."), ...(typeof unit === "string" && { unit }) }] };
}
