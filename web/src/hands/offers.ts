import type { Does, HandSound, LongDoes } from "@/api/types";
import type { PressName } from "@/api/edits";
import { TONE_PARTS } from "@/generated/core";

type PressDoes = Extract<Does, { kind: "press" }>;
export type OfferGroup =
  "song" | "sections" | "house" | "songs" | "spot" | "devices" | "stems" | "rest" | "pages" | "levels";

export const press = (name: PressName, args: PressDoes["args"] = {}): PressDoes => ({
  kind: "press",
  press: name,
  args,
});
const first = (...presses: PressDoes[]): LongDoes => ({ kind: "first", presses });

const FOR_PADS: [OfferGroup, LongDoes[]][] = [
  [
    "song",
    [
      first(press("go"), press("resume")),
      first(press("go"), press("resume"), press("choose", { by: 1 })),
      press("go"),
      press("resume"),
      press("stop"),
      press("begin_again"),
      press("fade_away"),
      press("stand_by"),
    ],
  ],
  [
    "sections",
    [
      press("choose", { by: 1 }),
      press("choose", { by: -1 }),
      press("once_more"),
      press("more", { rounds: 1 }),
      first(press("release"), press("ending_tonight", { ending: "vamp" })),
      press("release"),
      press("ending_tonight", { ending: "fine" }),
      press("take_back"),
    ],
  ],
  [
    "house",
    [
      first(press("pull_house"), press("bring_back")),
      press("pull_house"),
      press("bring_back"),
      first(press("fallback", { on: true }), press("fallback", { on: false })),
      first(press("tones_off", { on: true }), press("tones_off", { on: false })),
    ],
  ],
  ["stems", []],
  ["rest", [press("mark"), press("as_prepared", { part: null }), press("check_next")]],
  [
    "pages",
    [
      { kind: "page", by: 1, to: null },
      { kind: "page", by: -1, to: null },
    ],
  ],
];

interface OnTheSpot {
  sounds: Pick<HandSound, "id">[];
  words: string[];
  devices: { id: string; messages: readonly { id: string }[] }[];
}

const PROGRAMS: LongDoes[] = [press("program", { by: 1 }), press("program", { by: -1 }), press("program_here")];

/** What pads, pedals, buttons and keys can do, in groups. */
export const padOffers = ({ sounds, words, devices }: OnTheSpot): [OfferGroup, LongDoes[]][] => [
  ...FOR_PADS.slice(0, 3),
  ["spot", [...words.map((word) => press("say", { word })), ...sounds.map((s) => press("fire", { sound: s.id }))]],
  [
    "devices",
    [...PROGRAMS, ...devices.flatMap((d) => d.messages.map((m) => press("send", { device: d.id, message: m.id })))],
  ],
  ...FOR_PADS.slice(3),
];

/** What faders, knobs and pedals that slide can set. */
export const faderOffers = (feeds: { id: string; tone?: unknown }[]): Does[] => [
  { kind: "level", part: "click" },
  { kind: "level", part: "cues" },
  ...feeds.map((f): Does => ({ kind: "level", part: `feed:${f.id}` })),
  ...feeds
    .filter((f) => f.tone)
    .flatMap((f) => TONE_PARTS.map((tone): Does => ({ kind: "level", part: `${tone}:${f.id}` }))),
];
