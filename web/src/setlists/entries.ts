import type { Entry, EntryChange } from "@/api/types";

type Stored = Pick<
  Entry,
  | "song"
  | "form"
  | "link"
  | "link_seconds"
  | "pad"
  | "call_title"
  | "timecode"
  | "screen"
  | "semitones"
  | "tempo_percent"
  | "note"
  | "colour"
  | "players"
  | "set_name"
  | "interval_minutes"
> & {
  id?: string;
  /** A tempo as typed, until the server has answered. */
  tempo?: string;
};

/** What is sent of an entry: what was chosen, without what the server worked out. */
export function bare({ id, ...entry }: Stored): EntryChange {
  const {
    song,
    form,
    link,
    link_seconds,
    pad,
    call_title,
    timecode,
    screen,
    semitones,
    tempo_percent,
    note,
    colour,
    players,
    set_name,
    interval_minutes,
  } = entry;
  const kept = {
    song,
    form,
    link,
    link_seconds,
    pad,
    call_title,
    timecode,
    screen,
    semitones,
    tempo_percent,
    note,
    colour,
    players,
    set_name,
    interval_minutes,
  };
  return { ...(id && { id }), ...(entry.tempo !== undefined && { tempo: entry.tempo }), ...kept };
}

/** What an entry is: a song, an interval, or the heading of a set. */
export const kindOf = (entry: Pick<Entry, "song" | "set_name">): "song" | "interval" | "heading" =>
  entry.song ? "song" : entry.set_name ? "heading" : "interval";

/** Songs are numbered; an interval and a heading have no number. */
export function numbered(entries: Entry[]): (number | null)[] {
  let number = 0;
  return entries.map((e) => (e.song ? ++number : null));
}

/** The colour of the set that each entry is in; a set ends at the next heading, or at an interval. */
export function setColours(entries: Entry[]): (number | null)[] {
  let now: number | null = null;
  return entries.map((e) => {
    if (!e.song) now = kindOf(e) === "heading" ? (e.colour ?? null) : null;
    return now;
  });
}

/** Entries with the chosen ones together, in their order, where `to` is among the others and the chosen. */
export function movedTogether(entries: Entry[], chosen: ReadonlySet<string>, from: number, to: number): Entry[] {
  const taken = entries.filter((e) => chosen.has(e.id));
  const rest = entries.filter((e) => !chosen.has(e.id));
  const before = entries.slice(0, to).filter((e) => !chosen.has(e.id)).length;
  const target = entries[to];
  const at = from < to && target && !chosen.has(target.id) ? before + 1 : before;
  return [...rest.slice(0, at), ...taken, ...rest.slice(at)];
}

/** Entries with the chosen ones one place further up or down, as one block. */
export function movedBy(entries: Entry[], chosen: ReadonlySet<string>, by: -1 | 1): Entry[] {
  const places = entries.flatMap((e, i) => (chosen.has(e.id) ? [i] : []));
  const [first, last] = [places[0] ?? 0, places.at(-1) ?? 0];
  const to = by < 0 ? Math.max(0, first - 1) : Math.min(entries.length - 1, last + 1);
  return movedTogether(entries, chosen, by < 0 ? last : first, to);
}
