import type { Song } from "@/api/types";
import { RANGES } from "@/generated/core";

type Check = (value: unknown) => boolean;
const within = (range: { min: number; max: number }, value: number) => value >= range.min && value <= range.max;
const text: Check = (value) => typeof value === "string";
const named: Check = (value) => typeof value === "string" && value.trim() !== "";
const yesNo: Check = (value) => typeof value === "boolean";
const lead: Check = (value) => Number.isInteger(value) && within(RANGES.LEAD_BARS, Number(value));
// What stands as it was typed or ticked.
const FACTS: Record<string, Check> = {
  title: named,
  key: text,
  note: text,
  calls: yesNo,
  count_in_aloud: yesNo,
  count_in_sticks: yesNo,
  count_in_bars: (n) => Number.isInteger(n) && within(RANGES.COUNT_IN_BARS, Number(n)),
  lead,
};
const OF_SECTION: Record<string, Check> = {
  name: named,
  cue: text,
  words: text,
  note: text,
  called: yesNo,
  lead: (n) => n === null || lead(n),
};
const plain = (args: Record<string, unknown>, known: Record<string, Check>) =>
  Object.entries(args).every(([name, value]) => known[name]?.(value));
const NUMBER = /^\d{2,3}([.,]\d{1,6})?$/;

/**
 * What the page draws of an edit before the core has answered; null where it waits for it. A typed
 * value stands as it was typed. Where a section will lie is drawn ahead as the hand has put it, and
 * held against the core's own answer by the same cases (ahead.json); nothing is kept of it.
 */
export function echo(song: Song, what: string, args: Record<string, unknown>): Partial<Song> | null {
  if (what === "set_facts") return plain(args, FACTS) ? args : null;
  if (what === "set_tempo") return tempoTyped(song, args);
  if (what === "scale_tempo")
    return tempoTyped(song, { bpm: String(Number((Number(song.tempo[0]?.bpm) * Number(args.by)).toFixed(6))) });
  if (what === "mark_section") return marked(song, args as unknown as Marked);
  if (what === "move_boundary") return moved(song, args as unknown as { section: string; first: number });
  if (what === "set_cells") return cellsSet(song, args);
  if (what === "rename_section") {
    const { section, ...rest } = args;
    return plain(rest, OF_SECTION)
      ? { sections: song.sections.map((s) => (s.id === section ? { ...s, ...rest } : s)) }
      : null;
  }
  return null;
}

interface Marked {
  first: number;
  last: number;
  name: string;
  /** Ids for what the edit makes, in the order in which the core takes them. */
  ids?: string[];
}

/** The chosen bars drawn as a section until the core has said what becomes of its neighbours; nothing where one is locked. */
function marked(song: Song, { first, last, name, ids = [] }: Marked): Partial<Song> | null {
  const fresh = [...ids];
  const kept: Song["sections"] = [];
  let place = 0;
  for (const s of song.sections) {
    const end = s.first_bar + s.bars - 1;
    const [before, after] = [
      Math.max(0, Math.min(end, first - 1) - s.first_bar + 1),
      Math.max(0, end - Math.max(s.first_bar, last + 1) + 1),
    ];
    if (s.locked && before + after < s.bars) return null;
    if (before) kept.push({ ...s, bars: before });
    if (s.first_bar <= first && first <= end) place = kept.length;
    if (after) kept.push({ ...s, id: before ? (fresh.shift() ?? `${s.id} after`) : s.id, bars: after });
  }
  const drawn = {
    id: fresh.shift() ?? "drawn",
    name,
    bars: last - first + 1,
    colour: (place % 6) + 1,
    cue: "",
    locked: false,
    words: "",
    note: "",
    called: true,
    lead: null,
    mark: "",
    first_bar: first,
    ending: { kind: "attacca" as const },
  };
  const all = [...kept.slice(0, place), drawn, ...kept.slice(place)];
  let bar = 1;
  const sections = all.map((s, i) => {
    const at = bar;
    bar += s.bars;
    return { ...s, first_bar: at, mark: String.fromCharCode(65 + (i % 26)).repeat(Math.floor(i / 26) + 1) };
  });
  return { sections };
}

/** A section's start moved within it or its neighbour, where neither is locked. */
function moved(song: Song, { section, first }: { section: string; first: number }): Partial<Song> | null {
  const i = song.sections.findIndex((s) => s.id === section);
  const [before, own] = [song.sections[i - 1], song.sections[i]];
  if (!before || !own || before.locked || own.locked) return null;
  const by = first - own.first_bar;
  if (before.bars + by < 1 || own.bars - by < 1) return null;
  return {
    sections: song.sections.map((s, k) =>
      k === i - 1 ? { ...s, bars: s.bars + by } : k === i ? { ...s, bars: s.bars - by, first_bar: first } : s,
    ),
  };
}

interface Cell {
  stem: string;
  section: string;
  tacet?: boolean;
  level_db?: number;
  by_db?: number;
  fade_beats?: number;
}

/** The sheet with some cells set; none that the core would refuse. */
function cellsSet(song: Song, args: Record<string, unknown>): Partial<Song> | null {
  const {
    stems = [],
    sections = [],
    cells,
    ...change
  } = args as { stems?: string[]; sections?: string[]; cells?: Cell[] };
  const all: Cell[] = cells ?? stems.flatMap((stem) => sections.map((section) => ({ stem, section, ...change })));
  const touched = new Map<string, Cell[]>();
  for (const cell of all) touched.set(cell.stem, [...(touched.get(cell.stem) ?? []), cell]);
  const next = song.stems.map((stem) => touched.get(stem.id)?.reduce(withCell, stem) ?? stem);
  const fits = next.every(
    (s) =>
      Object.values(s.levels).every((db) => within(RANGES.CELL_LEVEL_DB, db)) &&
      Object.values(s.fades).every((n) => within(RANGES.CELL_FADE_BEATS, n)),
  );
  return fits ? { stems: next } : null;
}

function withCell(stem: Song["stems"][number], { section, tacet, level_db, by_db, fade_beats }: Cell) {
  const [levels, fades] = [{ ...stem.levels }, { ...stem.fades }];
  const level =
    level_db ?? (by_db === undefined ? undefined : Math.round(100 * ((levels[section] ?? 0) + by_db)) / 100);
  if (level !== undefined) levels[section] = level;
  if (level === 0) delete levels[section];
  if (fade_beats !== undefined) fades[section] = fade_beats;
  if (fade_beats === 0) delete fades[section];
  const rest = stem.tacet.filter((s) => s !== section);
  return { ...stem, levels, fades, tacet: tacet === undefined ? stem.tacet : tacet ? [...rest, section] : rest };
}

/** The one tempo of a song, typed anew. */
function tempoTyped(song: Song, { bpm, unit, bar = 1, ramp }: Record<string, unknown>): Partial<Song> | null {
  const [first, ...others] = song.tempo;
  if (!first || others.length || bar !== 1 || ramp || typeof bpm !== "string" || !NUMBER.test(bpm.trim())) return null;
  return { tempo: [{ ...first, bpm: bpm.trim().replace(",", "."), ...(typeof unit === "string" && { unit }) }] };
}
