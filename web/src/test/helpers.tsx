import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter, Route, Routes } from "react-router";
import { vi } from "vitest";

import type { EntryShown, Feed, Rig, Setlist, Song, Stem } from "@/api/types";
import type { Playing } from "@/stage/engine-state";
import { songRoutes } from "@/shell/song-views";
import { NoticeProvider } from "@/ui/notices";

export interface Asked {
  method: string;
  path: string;
  body: unknown;
}

/** A server of the tests: answers by "METHOD path" (a star ends a path early), and remembers what it was asked. */
export function serve(answers: Record<string, unknown>): Asked[] {
  const asked: Asked[] = [];
  vi.stubGlobal("fetch", (url: string, init?: RequestInit) => {
    const [method, path] = [init?.method ?? "GET", url.replace("/api/", "")];
    asked.push({ method, path, body: typeof init?.body === "string" ? JSON.parse(init.body) : init?.body });
    const line = `${method} ${path}`;
    const key =
      line in answers ? line : Object.keys(answers).find((k) => k.endsWith("*") && line.startsWith(k.slice(0, -1)));
    if (!key)
      return Promise.resolve(
        new Response(JSON.stringify({ problems: [{ code: "none", message: `Nothing at ${method} ${path}.` }] }), {
          status: 404,
        }),
      );
    const answer = answers[key];
    const given = typeof answer === "function" ? (answer as (asked: Asked) => unknown)(asked.at(-1) as Asked) : answer;
    return Promise.resolve(given).then((now) =>
      now instanceof Response ? now : new Response(JSON.stringify(now), { status: 200 }),
    );
  });
  return asked;
}

export const refusal = (message: string, status = 400) =>
  new Response(JSON.stringify({ problems: [{ code: "no", message }] }), { status });

/** A song's page at one of its views. */
export function showSong(view = "", id = "s") {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return render(
    <QueryClientProvider client={client}>
      <NoticeProvider>
        <MemoryRouter initialEntries={[`/songs/${id}${view && `/${view}`}`]}>
          <Routes>{songRoutes("Band")}</Routes>
        </MemoryRouter>
      </NoticeProvider>
    </QueryClientProvider>,
  );
}

/** Bars of a chart in 4/4 at 120, two seconds each. */
export const chartBars = (count: number) =>
  Array.from({ length: count }, (_, i) => ({
    bar: i + 1,
    start_s: 2 * i,
    end_s: 2 * i + 2,
    meter: "4/4",
    grouping: [],
    bpm: 120,
    beats: 4,
    sound: [0, 0.5, 1],
  }));

/** A song's page at one of its views, from a server that knows nothing but `answers`; gives what it is asked. */
export function openedSong(answers: Record<string, unknown>, view = "") {
  const asked = serve({ "GET uploads/*": [], "GET players/": [], ...answers });
  showSong(view);
  return asked;
}

export function Around({ children, at = "/", path = "*" }: { children: ReactNode; at?: string; path?: string }) {
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  return (
    <QueryClientProvider client={client}>
      <NoticeProvider>
        <MemoryRouter initialEntries={[at]}>
          <Routes>
            <Route path={path} element={children} />
            <Route path="*" element={<p>elsewhere</p>} />
          </Routes>
        </MemoryRouter>
      </NoticeProvider>
    </QueryClientProvider>
  );
}

export const show = (what: ReactNode, at?: string, path?: string) =>
  render(
    <Around {...(at && { at })} {...(path && { path })}>
      {what}
    </Around>,
  );

export const stem = (name: string, more: Partial<Stem> = {}): Stem => ({
  id: name,
  name,
  file_name: `${name}.wav`,
  group: "rhythm",
  purpose: "always",
  covers: null,
  covers_name: null,
  gain_db: 0,
  pan: 0,
  invert: false,
  muted: false,
  delay_ms: 0,
  tacet: [],
  seconds: 60,
  channels: 2,
  integrated_lufs: -20,
  sound: [0, 0.5, 1],
  flip_side: false,
  mono: false,
  start_s: 0,
  end_s: null,
  fade_in_s: 0,
  fade_out_s: 0,
  width: 1,
  levels: {},
  fades: {},
  measured: {
    format: "WAV",
    sample_rate: 44100,
    bit_depth: 16,
    true_peak_dbtp: -3,
    sound_starts_s: 0.5,
    sound_ends_s: 58,
    end: "clean",
  },
  ...more,
});

export const song = (more: Partial<Song> = {}): Song =>
  ({
    id: "s",
    title: "Paper Boats",
    key: "D",
    tempo: [{ bar: 1, bpm: "120" }],
    meters: [{ bar: 1, meter: "4/4" }],
    bar1_s: "1.25",
    pickup: "0",
    count_in_bars: 2,
    count_in_aloud: true,
    count_in_sticks: false,
    lead: 1,
    click: {},
    click_sounds: ["wood", "rim"],
    crossfade_ms: 10,
    ring_on_s: 0,
    calls: true,
    revision: 7,
    sections: [
      {
        id: "a",
        name: "Verse",
        mark: "A",
        first_bar: 1,
        bars: 8,
        colour: 1,
        cue: "",
        locked: false,
        words: "",
        note: "",
        called: true,
        lead: null,
        ending: { kind: "attacca" },
      },
      {
        id: "b",
        name: "Chorus",
        mark: "B",
        first_bar: 9,
        bars: 8,
        colour: 2,
        cue: "",
        locked: false,
        words: "",
        note: "",
        called: true,
        lead: null,
        ending: { kind: "fine" },
      },
    ],
    forms: [
      {
        id: "full",
        name: "Full",
        bars: 16,
        seconds: 32,
        steps: [
          { section: "a", ending: { kind: "attacca" } },
          { section: "b", ending: { kind: "fine" } },
        ],
      },
    ],
    stems: [],
    note: "",
    chords: Array<string>(16).fill(""),
    seconds: 32,
    bars: 16,
    can_undo: false,
    can_redo: false,
    findings: { ready: true, list: [] },
    offers: [],
    together: null,
    gain_db: 0,
    edges: {},
    cues: [],
    ...more,
  }) as Song;

export const feed = (id: string, more: Partial<Feed> = {}): Feed => ({
  id,
  name: id,
  kind: "monitor",
  channels: 2,
  gain_db: 0,
  position: 0,
  sends: [],
  ...more,
});

export const rig = (more: Partial<Rig> = {}): Rig => ({
  id: "r",
  name: "Rig",
  position: 0,
  sockets: [1, 2].map((number) => ({ number, label: `Desk ${number}`, use: "free", balanced: true })),
  patches: [],
  problems: [],
  checks: [],
  interface: null,
  revision: 1,
  ...more,
});

export const setlist = (more: Partial<Setlist> = {}): Setlist => ({
  id: "l",
  name: "Thursday",
  slot_minutes: 10,
  starts_at: "20:15",
  seconds: 300,
  entries: [],
  revision: 1,
  ...more,
});

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
  chords: [
    { bar: 5, text: "Bb D7" },
    { bar: 9, text: "F#m" },
  ],
  stems: [
    { id: "d", name: "Drums", purpose: "covers", covers: "ozo" },
    { id: "o", name: "Organ", purpose: "always", covers: null },
    { id: "m", name: "Mix", purpose: "full_mix", covers: null },
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

export const tonight: Playing["tonight"] = { endings: [], order: [0, 1, 2], after: null, played: [0] };

export const playing = (more: Partial<Playing> = {}): Playing => ({
  status: "playing",
  show: "x",
  show_title: "Thursday",
  loads: 1,
  entry: 0,
  position: { entry: 0, step: 0, round: 3, bar: 6, beat: 2, beats: 4, phase: 0.5, counting: false },
  coming: { step: 0, frame: 0, bar: 9, asked: null, when: "section_end" },
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
  unavailable: unavailable(more),
  ...more,
});
