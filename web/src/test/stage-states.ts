import type { Described, EntryShown } from "@/api/types";
import type { Playing } from "@/stage/engine-state";

type SocketShown = Described["sockets"][number];

export const entryShown = (more: Partial<EntryShown> = {}): EntryShown => ({
  id: "e",
  song: "s",
  title: "Paper Boats",
  form: "Full",
  key: "D",
  bpm: 120,
  unit: "1",
  meter: "4/4",
  seconds: 32,
  bars: 16,
  link: { kind: "wait", seconds: 0 },
  fallback: true,
  of: null,
  kept: false,
  chords: [
    { bar: 5, text: "Bb D7" },
    { bar: 9, text: "F#m" },
  ],
  stems: [
    { id: "d", name: "Drums", purpose: "covers", covers: "ozo", gain_db: 0 },
    { id: "o", name: "Organ", purpose: "always", covers: null, gain_db: 0 },
    { id: "m", name: "Mix", purpose: "full_mix", covers: null, gain_db: 0 },
  ],
  steps: [
    {
      step: 0,
      section: "a",
      name: "Verse",
      mark: "A",
      colour: 1,
      first_bar: 1,
      bars: 8,
      ending: { kind: "vamp", times: 1 },
      meter: "4/4",
      grouping: [1, 1, 1, 1],
      words: "",
      note: "",
    },
    {
      step: 1,
      section: "b",
      name: "Chorus",
      mark: "B",
      colour: 2,
      first_bar: 9,
      bars: 8,
      ending: { kind: "fine", times: 1 },
      meter: "7/8",
      grouping: [2, 2, 3],
      words: "",
      note: "",
    },
    {
      step: 2,
      section: "c",
      name: "Tag",
      mark: "C",
      colour: 3,
      first_bar: 17,
      bars: 2,
      ending: { kind: "cut", times: 1 },
      meter: "4/4",
      grouping: [1, 1, 1, 1],
      words: "",
      note: "",
    },
  ],
  ...more,
});

const no = { code: "no", message: "Not now." };

/** What the engine says cannot be pressed in a state, as far as the stage asks. */
function unavailable({ status = "playing", position, coming }: Partial<Playing>): Playing["unavailable"] {
  const moving = status === "playing" || status === "count_in";
  const vamp = moving && (position?.step ?? 0) === 0;
  return {
    ...(moving && { go: no, stand_by: no }),
    ...(status === "finished" && { go: no }),
    ...(!moving && { stop: no, go_to: no, once_more: no }),
    ...(status !== "stopped" && { resume: no }),
    ...(!vamp && { release: no }),
    ...(!coming?.asked && { take_back: no }),
  };
}

export const load = (more: Partial<NonNullable<Playing["load"]>> = {}): NonNullable<Playing["load"]> => ({
  word: "calm",
  reasons: [],
  processor: 0.12,
  memory: 0.31,
  memory_free_mb: 12288,
  disk: 0.4,
  disk_free_mb: 51200,
  temperature: null,
  parts: [{ name: "feeder", processor: 0.021, memory_mb: 48 }],
  least_ms: 870,
  ahead_ms: 1000,
  latest_ms: 1.2,
  buffer_ms: 21.3,
  hurried: true,
  gone: [],
  ...more,
});

/** A socket of a loaded show. */
export const socketShown = (number: number, more: Partial<SocketShown> = {}): SocketShown => ({
  number,
  label: "",
  printed: "",
  desk: "",
  headphones: false,
  use: "free",
  carries: [],
  ...more,
});

/** A loaded show of one entry. */
export const described = (more: Partial<Described> = {}): Described => ({
  show: "x",
  title: "Thursday",
  slot: null,
  intervals: [],
  sample_rate: 48000,
  entries: [entryShown()],
  away: [],
  palette: [],
  hand_sounds: [],
  feeds: [],
  sockets: [socketShown(1)],
  ...more,
});

export const tonight: Playing["tonight"] = {
  endings: [],
  order: [0, 1, 2],
  after: null,
  played: [0],
  following: 1,
  now: 0,
  rehearsal: false,
  round: null,
};

export const playing = (more: Partial<Playing> = {}): Playing => ({
  status: "playing",
  show: "x",
  show_title: "Thursday",
  loads: 1,
  entry: 0,
  position: { entry: 0, step: 0, round: 3, bar: 6, beat: 2, beats: 4, phase: 0.5, counting: false },
  coming: { step: 0, frame: 0, bar: 9, asked: null, when: "section_end", call: null },
  landings: { section_end: 9, next_bar: 7 },
  house_pulled: false,
  fallback: false,
  peak: [0.5, 0],
  dropouts: 0,
  latency_ms: 42,
  block: 256,
  buffer: 4,
  device_problem: "",
  unheard: [],
  away: [],
  tonight,
  left_s: 600,
  spare_s: null,
  to_keep: [],
  shorter: [],
  elapsed_s: 12,
  load: null,
  band: "b",
  ring_ms: 1000,
  renderers: 2,
  unwritten: false,
  faults: 0,
  unreadable: [],
  device_there: true,
  device: "simulated",
  channels: 8,
  recording: false,
  loading: null,
  load_answer: null,
  last_press: null,
  head: 0,
  heard: 0,
  sample_rate: 48000,
  taps: [],
  stems: [],
  parts: [],
  alone_in_house: false,
  line_check: null,
  ringing: [],
  pad: false,
  stem_peak: [],
  guide_peak: [0, 0],
  unavailable: unavailable(more),
  ...more,
});
