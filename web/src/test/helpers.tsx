import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { render } from "@testing-library/react";
import type { ReactNode } from "react";
import { MemoryRouter, Route, Routes } from "react-router";
import { vi } from "vitest";

import type { Feed, Rig, Setlist, Song, Socket, Stem } from "@/api/types";
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
  treatable: true,
  purpose: "always",
  layer: null,
  covers: null,
  covers_name: null,
  treatment: null,
  treatments: {},
  curves: {},
  notes: [],
  gain_db: 0,
  feeds: null,
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
  keeps_pitch: false,
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
    to_do: [],
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
  alone: false,
  player: null,
  position: 0,
  sends: [],
  tone: null,
  tone_curve: [],
  ceiling_db: null,
  ...more,
});

/** A socket with nothing known of it but where it leads. */
export const socket = (number: number, more: Partial<Socket> = {}): Socket => ({
  number,
  label: "",
  use: "free",
  balanced: true,
  headphones: false,
  printed: "",
  desk: "",
  mirrored: "",
  cable_m: 0,
  pair: 0,
  ...more,
});

export const rig = (more: Partial<Rig> = {}): Rig => ({
  id: "r",
  name: "Rig",
  position: 0,
  sockets: [1, 2].map((number) => socket(number, { label: `Desk ${number}` })),
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
  can_undo: false,
  can_redo: false,
  ...more,
});

export * from "./stage-states";
