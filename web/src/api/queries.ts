import { QueryClient, replaceEqualDeep, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, Refused } from "./client";
import { conflicts } from "./conflicts";
import { put } from "./put";
import type {
  Changes,
  Chart,
  ClickPage,
  Compared,
  Cues,
  Fed,
  Feed,
  FeedChange,
  HandSound,
  HandSoundChange,
  Hearing,
  InterfaceChoice,
  Interfaces,
  Level,
  LineUp,
  Match,
  Member,
  Me,
  Marks,
  Nights,
  OwnSound,
  Player,
  Rig,
  RigChange,
  Seam,
  Setlist,
  SetlistChange,
  Sheet,
  Show,
  ShowChange,
  Song,
  SongRow,
  Tonight,
  UsualStem,
  Voice,
} from "./types";

export const queries = new QueryClient({
  defaultOptions: {
    queries: {
      retry: (times, error) => !(error instanceof Refused && error.status >= 400 && error.status < 500) && times < 3,
      staleTime: 5_000,
      refetchOnWindowFocus: true,
    },
  },
});

export const useMe = () => useQuery({ queryKey: ["me"], queryFn: () => api<Me>("me/"), staleTime: Infinity });
export const usePlayers = () => useQuery({ queryKey: ["players"], queryFn: () => api<Player[]>("players/") });
export const useMembers = () => ({
  members: useQuery({ queryKey: ["members"], queryFn: () => api<Member[]>("members/") }),
  save: useSaved<Member, Partial<Member>>("members", { stale: ["me"] }).save,
});
export const useSongs = () => useQuery({ queryKey: ["songs"], queryFn: () => api<SongRow[]>("songs/") });
export const useSong = (id: string) =>
  useQuery({
    queryKey: ["song", id],
    queryFn: () => api<Song>(`songs/${id}/`),
    enabled: id !== "",
    // Stems are compared in the worker; the page asks until that is done.
    refetchInterval: ({ state }) => (state.data && !state.data.findings.ready ? 1000 : false),
  });
export const useSetlists = () => useQuery({ queryKey: ["setlists"], queryFn: () => api<Setlist[]>("setlists/") });
export const useRigs = () => useQuery({ queryKey: ["rigs"], queryFn: () => api<Rig[]>("rigs/") });
export const useFeeds = () => useQuery({ queryKey: ["feeds"], queryFn: () => api<Feed[]>("feeds/") });
export const useNights = () => useQuery({ queryKey: ["nights"], queryFn: () => api<Nights>("nights/") });
/** What was marked of a song in rehearsals; those that were seen to are gone with the song's next revision. */
export const useMarks = (song: string, revision: number) =>
  useQuery({
    queryKey: ["marks", song, revision],
    queryFn: () => api<Marks>(`marks/?song=${song}`),
    placeholderData: (before) => before,
  });
/** What was edited since the show was loaded, as load `loads`. */
export const useChanges = (loads: number) =>
  useQuery({
    queryKey: ["changes", loads],
    queryFn: () => api<Changes>("engine/changes/"),
    refetchInterval: 15_000,
    retry: false,
  });
export const useInterfaces = () =>
  useQuery({ queryKey: ["interfaces"], queryFn: () => api<Interfaces>("interfaces/") });
export const useFed = () =>
  useQuery({ queryKey: ["fed"], queryFn: () => api<Fed>("interfaces/now/"), refetchInterval: 3000 });
export const useShows = () => useQuery({ queryKey: ["shows"], queryFn: () => api<Show[]>("shows/") });

/** Reads what the worker works out; where nobody has asked for it yet, asks. */
async function worked<T extends { state: string }>(path: string, signal?: AbortSignal): Promise<T> {
  const known = await api<T>(path, "GET", undefined, signal);
  return known.state === "none" ? api<T>(path, "POST") : known;
}

/** Until what is known already stands on the screen: asking for more would only hold it up. */
const drawn = () =>
  new Promise<void>((done) => {
    requestAnimationFrame(() => setTimeout(done));
    setTimeout(done, 50);
  });

/**
 * The chart belongs to one revision of its song, so that bars and sections never disagree. What is
 * the same as before stays the same object, so that only bars that changed are drawn anew.
 */
export function useChart(song: Song | undefined, form: string, points: number) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["chart", song?.id, form, points, song?.revision],
    queryFn: async () => {
      const query = new URLSearchParams({ points: String(points), ...(form !== "full" && { form }) });
      const before = client
        .getQueriesData<Chart>({ queryKey: ["chart", song?.id, form, points] })
        .findLast(([, data]) => data)?.[1];
      if (before) await drawn();
      return replaceEqualDeep(before, await api<Chart>(`songs/${song?.id}/chart/?${query}`));
    },
    enabled: song !== undefined,
    placeholderData: (before) => before,
  });
}

export const useSeams = (song: Song, form: string) =>
  useQuery({
    queryKey: ["seams", song.id, form, song.revision],
    queryFn: ({ signal }) =>
      api<Seam[]>(`songs/${song.id}/seams/${form === "full" ? "" : `?form=${form}`}`, "GET", undefined, signal),
    placeholderData: (before) => before,
    enabled: song.stems.length > 0,
  });
export const useSeam = (song: Song, old: string, next: string) =>
  useQuery({
    queryKey: ["seam", song.id, old, next, song.revision],
    queryFn: () => api<Seam>(`songs/${song.id}/seam/?old=${old}&new=${next}`),
    enabled: song.stems.length > 0 && Boolean(old && next),
  });
export const useCompared = (song: Song) =>
  useQuery({
    queryKey: ["compared", song.id, song.revision],
    queryFn: () => api<Compared>(`songs/${song.id}/compared/`),
    placeholderData: (before) => before,
  });
/** Where sections are heard to begin; asked again until the worker has listened. */
export const useHearing = (song: Song) =>
  useQuery({
    queryKey: ["hearing", song.id, song.revision],
    queryFn: () => worked<Hearing>(`songs/${song.id}/heard-sections/`),
    refetchInterval: ({ state }) => (state.data?.state === "working" ? 400 : false),
    placeholderData: (before) => before,
  });

const lined = (lineUp: string, rest: Record<string, string> = {}) =>
  new URLSearchParams({ ...(lineUp && { line_up: lineUp }), ...rest }).toString();
export const useLineUps = () => useQuery({ queryKey: ["line-ups"], queryFn: () => api<LineUp[]>("line-ups/") });
export const useUsual = () => useQuery({ queryKey: ["usual-stems"], queryFn: () => api<UsualStem[]>("usual-stems/") });
/** What the files hold in each cell; re-rendered only where that changed. */
export function useSheet(song: Song) {
  const client = useQueryClient();
  const place = JSON.stringify([
    song.tempo,
    song.meters,
    song.bar1_s,
    song.sections.map((s) => s.bars),
    song.stems.map((s) => [s.id, s.delay_ms, s.start_s, s.end_s]),
  ]);
  return useQuery({
    queryKey: ["sheet", song.id, place],
    queryFn: async () => {
      const before = client.getQueriesData<Sheet>({ queryKey: ["sheet", song.id] }).findLast(([, data]) => data)?.[1];
      return replaceEqualDeep(before, await api<Sheet>(`songs/${song.id}/sheet/`));
    },
    placeholderData: (before) => before,
  });
}
/** What sounds with a line-up; what is the same as before stays the same object. */
export const useTonight = (song: Song, lineUp: string, wanted = true) =>
  useQuery({
    enabled: wanted,
    queryKey: ["tonight", song.id, lineUp, song.revision],
    queryFn: async ({ signal }) => {
      await drawn();
      return api<Tonight>(`songs/${song.id}/tonight/?${lined(lineUp)}`, "GET", undefined, signal);
    },
    placeholderData: (before) => before,
  });
/** The click of a song with that of its band; belongs to one revision. */
export const useClick = (song: Song) =>
  useQuery({
    queryKey: ["click", song.id, song.revision],
    queryFn: () => api<ClickPage>(`songs/${song.id}/click/`),
    placeholderData: (before) => before,
  });
/** What is spoken in a form of a song; belongs to one revision. */
export const useCues = (song: Song, form: string) =>
  useQuery({
    queryKey: ["cues", song.id, form, song.revision],
    queryFn: ({ signal }) =>
      api<Cues>(`songs/${song.id}/cues/?${new URLSearchParams({ form })}`, "GET", undefined, signal),
    placeholderData: (before) => before,
  });
export const useVoice = () => useQuery({ queryKey: ["voice"], queryFn: () => api<Voice>("voice/") });
export const useOwnSounds = () => useQuery({ queryKey: ["own-sounds"], queryFn: () => api<OwnSound[]>("own-sounds/") });

/** Changing the band's voice and its own sounds; every cue of every song may be another after that. */
export function useVoiceChanges() {
  const client = useQueryClient();
  const all = () =>
    Promise.all(["own-sounds", "cues", "chart", "click"].map((key) => client.invalidateQueries({ queryKey: [key] })));
  const save = useMutation({
    mutationFn: (change: Partial<Voice>) => api<Voice>("voice/", "PATCH", change),
    onSuccess: (voice) => {
      put(client, ["voice"], voice);
      return all();
    },
  });
  const add = useMutation({
    mutationFn: ({ content, ...asked }: { kind: string; file: string; name?: string; content: Blob }) =>
      api<OwnSound>(`own-sounds/?${new URLSearchParams(asked)}`, "POST", content),
    onSuccess: all,
  });
  const remove = useMutation({ mutationFn: (id: string) => api(`own-sounds/${id}/`, "DELETE"), onSuccess: all });
  return { save, add, remove };
}

/** Sounds by hand of the band's shelf, and of a song besides. */
export const useHandSounds = (song?: string) =>
  useQuery({
    queryKey: ["hand-sounds", song ?? ""],
    queryFn: () => api<HandSound[]>(`hand-sounds/${song ? `?${new URLSearchParams({ song })}` : ""}`),
  });

export function useHandSoundChanges() {
  const client = useQueryClient();
  const onSuccess = () => client.invalidateQueries({ queryKey: ["hand-sounds"] });
  const add = useMutation({
    mutationFn: ({ file, song }: { file: File; song: string | undefined }) =>
      api<HandSound>(
        `hand-sounds/?${new URLSearchParams({ file: file.name, ...(song !== undefined && { song }) })}`,
        "POST",
        file,
      ),
    onSuccess,
  });
  const save = useMutation({
    mutationFn: ({ id, ...change }: HandSoundChange & { id: string }) =>
      api<HandSound>(`hand-sounds/${id}/`, "PATCH", change),
    onSuccess,
  });
  const remove = useMutation({ mutationFn: (id: string) => api(`hand-sounds/${id}/`, "DELETE"), onSuccess });
  return { add, save, remove };
}

/** How loud a song is in the house; asked again until it has been measured. */
export const useLevel = (song: Song, form: string, lineUp: string, target: string) =>
  useQuery({
    queryKey: ["level", song.id, form, lineUp, target, song.revision],
    queryFn: ({ signal }) =>
      worked<Level>(`songs/${song.id}/level/?${lined(lineUp, { form, ...(target && { target }) })}`, signal),
    refetchInterval: ({ state }) => (state.data?.state === "working" ? 500 : false),
    placeholderData: (before) => before,
    enabled: song.stems.length > 0,
  });
export const useMatch = (setlist: string, lineUp: string, target: string) =>
  useQuery({
    queryKey: ["match", setlist, lineUp, target],
    queryFn: async ({ signal }) => {
      const path = `setlists/${setlist}/loudness/?${lined(lineUp, target ? { target } : {})}`;
      const known = await api<Match>(path, "GET", undefined, signal);
      return known.songs.some((s) => s.state === "none") ? api<Match>(path, "POST") : known;
    },
    refetchInterval: ({ state }) => (state.data && !state.data.ready ? 700 : false),
    placeholderData: (before) => before,
    staleTime: 0,
  });

interface Saving {
  /** Other lists that show the same. */
  stale: string[];
  /** Rows have a revision: a change of one that somebody else changed meanwhile is shown, not lost. */
  revised?: boolean;
}

/** Saves a change and puts the answer where the list keeps it; other lists that show it are read again. */
function useSaved<Row extends { id: string; revision?: number }, Change>(list: string, { stale, revised }: Saving) {
  const client = useQueryClient();
  const took = (row: Row) => put<Row[]>(client, [list], (rows) => rows?.map((r) => (r.id === row.id ? row : r)));
  const known = (id: string) => client.getQueryData<Row[]>([list])?.find((r) => r.id === id);
  const save = useMutation({
    // One after the other, each against the revision that the one before it made.
    ...(revised && { scope: { id: list } }),
    mutationFn: ({ id, ...change }: Change & { id: string }) =>
      api<Row>(`${list}/${id}/`, "PATCH", { ...change, ...(revised && { revision: known(id)?.revision }) }),
    onSuccess: (row) => {
      took(row);
      for (const key of stale) void client.invalidateQueries({ queryKey: [key] });
    },
    onError: (error, change) => {
      const old = known(change.id);
      if (error instanceof Refused && error.status === 409 && error.current && old) {
        const now = error.current as Row;
        took(now);
        conflicts.show({ list, message: error.message, old, now, again: () => save.mutate(change) });
      } else void client.invalidateQueries({ queryKey: [list] });
    },
  });
  const travel = useMutation({
    ...(revised && { scope: { id: list } }),
    mutationFn: ({ id, way }: { id: string; way: "undo" | "redo" }) =>
      api<Row>(`${list}/${id}/${way}/`, "POST", { revision: known(id)?.revision }),
    onSuccess: (row) => {
      took(row);
      for (const key of stale) void client.invalidateQueries({ queryKey: [key] });
    },
    onError: () => void client.invalidateQueries({ queryKey: [list] }),
  });
  return {
    travel,
    create: useMutation({
      mutationFn: (change: Change) => api<Row>(`${list}/`, "POST", change),
      onSuccess: (row) => {
        put<Row[]>(client, [list], (rows) => rows && [...rows, row]);
        for (const key of stale) void client.invalidateQueries({ queryKey: [key] });
      },
    }),
    save,
    remove: useMutation({
      mutationFn: (id: string) => api<void>(`${list}/${id}/`, "DELETE"),
      onSuccess: (_, id) => {
        put<Row[]>(client, [list], (rows) => rows?.filter((r) => r.id !== id));
        for (const key of stale) void client.invalidateQueries({ queryKey: [key] });
      },
    }),
  };
}

export const useSavedSetlist = () => useSaved<Setlist, SetlistChange>("setlists", { stale: ["shows"], revised: true });
export const useSavedRig = () => useSaved<Rig, RigChange>("rigs", { stale: ["shows", "outputs"], revised: true });
/** Feeds another interface, which the rig keeps. */
export function useChosenInterface() {
  const client = useQueryClient();
  return useMutation({
    mutationFn: (choice: InterfaceChoice) => api<Interfaces>("interfaces/", "POST", choice),
    onSuccess: (now) => {
      put(client, ["interfaces"], now);
      put(client, ["fed"], { now: now.now });
      void client.invalidateQueries({ queryKey: ["rigs"] });
    },
  });
}
export const useSavedFeed = () => useSaved<Feed, FeedChange>("feeds", { stale: ["rigs", "outputs"] });

export const useSavedShow = () => useSaved<Show, Partial<ShowChange>>("shows", { stale: [] });
export const useSavedPlayer = () => useSaved<Player, Partial<Player>>("players", { stale: ["shows", "song"] });
export const useSavedLineUp = () =>
  useSaved<LineUp, Partial<LineUp>>("line-ups", { stale: ["shows", "tonight", "level", "match"] });
