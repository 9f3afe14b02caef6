import type { Described, EntryShown, Player } from "@/api/types";

import { AUDIBLE, RANGES, SWEEP_PARTS, SWITCH_PARTS, TONE_PARTS } from "@/generated/core";

import type { Playing } from "../engine-state";

export type PartNow = Playing["parts"][number];
export type Standing = Playing["stems"][number]["standing"];

/** How a part is measured: in dB or off, in dB alone, in per cent, in or out. */
export type Scale = "level" | "tone" | "sweep" | "switch";
export type LevelScale = Exclude<Scale, "switch">;

/** A stem, a guide, a feed or what one of them goes through, with all that is said of it. `standing`: of stems alone. */
export interface Part {
  part: string;
  kind: "stem" | "guide" | "feed" | "tone" | "sweep" | "echo" | "switch";
  /** The stem that goes through it; "" for all else. */
  of: string;
  name: string;
  now: PartNow;
  standing: Standing | null;
  /** What it would do without hands. */
  prepared: Standing | null;
  /** Who plays what a stem covers. */
  player: string;
  /** Peak as a factor of full scale. */
  peak: number;
}

const SOUNDS: readonly (Standing | null)[] = AUDIBLE;

const byHand = (state: Playing, part: string): PartNow =>
  state.parts.find((p) => p.part === part) ?? { part, db: 0, on: null, alone: false, waiting: null };

const NOTHING = { of: "", standing: null, prepared: null, player: "", peak: 0 };
type Names = { click: string; cues: string; tone: (of: string, tone: ThroughName) => string };

/** Every part of the song that plays, then click, cues and the feeds. `names`: of click, cues and tones. */
export function partsOf(show: Described, entry: EntryShown, state: Playing, players: Player[], names: Names): Part[] {
  const stems = entry.stems.flatMap((stem, i): Part[] => {
    const now = state.stems.find((s) => s.id === stem.id);
    const own: Part = {
      ...NOTHING,
      part: `stem:${stem.id}`,
      kind: "stem",
      name: stem.name,
      now: byHand(state, `stem:${stem.id}`),
      standing: now?.standing ?? null,
      prepared: now?.prepared ?? null,
      player: players.find((p) => p.id === stem.covers)?.name ?? "",
      peak: state.stem_peak[i] ?? 0,
    };
    return [own, ...throughOf(stem, state, names)];
  });
  const guides = (["click", "cues"] as const).map((part, i): Part => {
    const peak = state.guide_peak[i] ?? 0;
    return { ...NOTHING, part, kind: "guide", name: names[part], now: byHand(state, part), peak };
  });
  return [...stems, ...guides, ...show.feeds.flatMap((feed) => feedParts(feed, show, state, names))];
}

/** What a stem may go through, in the order in which it is shown. */
const THROUGH: [ThroughName, Part["kind"]][] = [
  ...TONE_PARTS.map((name): [ThroughName, Part["kind"]] => [name, "tone"]),
  ...SWEEP_PARTS.map((name): [ThroughName, Part["kind"]] => [name, "sweep"]),
  ["echo", "echo"],
  ...SWITCH_PARTS.map((name): [ThroughName, Part["kind"]] => [name, "switch"]),
];

/** What of a treated stem can be set by hand. */
function throughOf(stem: EntryShown["stems"][number], state: Playing, names: Names): Part[] {
  return THROUGH.filter(([name]) => stem.through.includes(name)).map(([name, kind]): Part => {
    const [of, part] = [`stem:${stem.id}`, `${name}:stem:${stem.id}`];
    return { ...NOTHING, part, kind, of, name: names.tone(stem.name, name), now: byHand(state, part) };
  });
}

/** A feed, and its tone where it has one. */
function feedParts(feed: Described["feeds"][number], show: Described, state: Playing, names: Names): Part[] {
  const part = `feed:${feed.id}`;
  const sockets = show.sockets.filter((s) => s.carries.some((c) => c.feed === feed.id));
  const peak = Math.max(0, ...sockets.map((s) => state.peak?.[s.number - 1] ?? 0));
  const own: Part = { ...NOTHING, part, kind: "feed", name: feed.name, now: byHand(state, part), peak };
  const tones = (feed.tone ? TONE_PARTS : []).map((tone): Part => {
    const of = `${tone}:${feed.id}`;
    return { ...NOTHING, part: of, kind: "tone", name: names.tone(feed.name, tone), now: byHand(state, of) };
  });
  return [own, ...tones];
}

/** Whether a part is other than prepared, or will be. */
export const isSet = ({ now }: Part): boolean => now.db !== 0 || now.on !== null || now.waiting !== null;

export const scaleOf = ({ kind }: Part): Scale =>
  kind === "tone" || kind === "sweep" || kind === "switch" ? kind : "level";

/** Whether a part is in: a stem that sounds, or anything else that was not taken out. */
export const isIn = ({ kind, standing, now }: Part): boolean =>
  kind === "stem" ? SOUNDS.includes(standing) : now.on !== false;

/** What a press has to ask for, to bring a part in or take it out: as prepared, where that does it. */
export function wanted({ kind, prepared }: Part, on: boolean): boolean | undefined {
  const preparedIn = kind === "stem" ? SOUNDS.includes(prepared) : true;
  return preparedIn === on ? undefined : on;
}

/** Whether a stem can be brought in: not the full mix beside the stems, nor a stem beside the full mix. */
export const canComeIn = ({ standing }: Part): boolean => standing !== "fallback" && standing !== "replaced";

const { min: LOW, max: HIGH } = RANGES.HAND_DB;
const TONE = RANGES.TONE_DB;
/** Where the prepared level lies on the bar. */
const PREPARED = 0.7;
const NEAR = 0.012;

export type ToneName = (typeof TONE_PARTS)[number];
export type ThroughName = ToneName | (typeof SWEEP_PARTS)[number] | "echo" | (typeof SWITCH_PARTS)[number];

/** Where a level by hand lies on its bar, 0 to 1; off is its left end. A tone and a sweep go in a straight line. */
export function placeOf(db: number | null, scale: LevelScale = "level"): number {
  if (scale === "sweep") return (db ?? 0) / RANGES.SWEEP_PERCENT.max;
  if (scale === "tone") return ((db ?? 0) - TONE.min) / (TONE.max - TONE.min);
  if (db === null) return 0;
  return db <= 0 ? PREPARED * (1 - db / LOW) ** 2 : PREPARED + (1 - PREPARED) * (db / HIGH);
}

/** The level, to a tenth of a decibel, at a place of the bar; null for off, 0 near the prepared level. */
export function levelAt(place: number, scale: LevelScale = "level"): number | null {
  if (scale === "sweep") return Math.round(RANGES.SWEEP_PERCENT.max * Math.min(1, Math.max(0, place)));
  if (scale === "tone") return toneAt(Math.min(1, Math.max(0, place)));
  if (place <= 0.01) return null;
  if (Math.abs(place - PREPARED) < NEAR) return 0;
  const db = place < PREPARED ? LOW * (1 - Math.sqrt(place / PREPARED)) : (HIGH * (place - PREPARED)) / (1 - PREPARED);
  return Math.round(10 * Math.min(HIGH, Math.max(LOW, db))) / 10;
}

const toneAt = (place: number) =>
  Math.abs(place - 0.5) < NEAR ? 0 : Math.round(10 * (TONE.min + place * (TONE.max - TONE.min))) / 10;
