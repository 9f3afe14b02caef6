import { QueryClient, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api, Refused } from "./client";
import type { Chart, Described, Feed, FeedChange, Me, Player, Rig, RigChange, Setlist, SetlistChange, Show, ShowChange, Song, SongRow } from "./types";

export const queries = new QueryClient({
  defaultOptions: {
    queries: { retry: (times, error) => !(error instanceof Refused && error.status >= 400 && error.status < 500) && times < 3, staleTime: 5_000, refetchOnWindowFocus: true },
  },
});

export const useMe = () => useQuery({ queryKey: ["me"], queryFn: () => api<Me>("me/"), staleTime: Infinity });
export const usePlayers = () => useQuery({ queryKey: ["players"], queryFn: () => api<Player[]>("players/") });
export const useSongs = () => useQuery({ queryKey: ["songs"], queryFn: () => api<SongRow[]>("songs/") });
export const useSong = (id: string) =>
  useQuery({
    queryKey: ["song", id],
    queryFn: () => api<Song>(`songs/${id}/`),
    // Stems are compared in the worker; the page asks until that is done.
    refetchInterval: ({ state }) => (state.data && !state.data.findings.ready ? 1000 : false),
  });
export const useSetlists = () => useQuery({ queryKey: ["setlists"], queryFn: () => api<Setlist[]>("setlists/") });
export const useRigs = () => useQuery({ queryKey: ["rigs"], queryFn: () => api<Rig[]>("rigs/") });
export const useFeeds = () => useQuery({ queryKey: ["feeds"], queryFn: () => api<Feed[]>("feeds/") });
export const useShows = () => useQuery({ queryKey: ["shows"], queryFn: () => api<Show[]>("shows/") });

/** The chart belongs to one revision of its song, so that bars and sections never disagree. */
export const useChart = (song: Song | undefined, form: string) =>
  useQuery({
    queryKey: ["chart", song?.id, form, song?.revision],
    queryFn: () => api<Chart>(`songs/${song?.id}/chart/${form === "full" ? "" : `?form=${form}`}`),
    enabled: song !== undefined,
    placeholderData: (before) => before,
  });

export const useDescribed = (show: string | null | undefined) =>
  useQuery({ queryKey: ["described", show], queryFn: () => api<Described>("engine/show/"), enabled: Boolean(show), staleTime: 0 });

/** Saves a change and puts the answer where the list keeps it; other lists that show it are read again. */
function useSaved<Row extends { id: string }, Change>(list: string, stale: string[]) {
  const client = useQueryClient();
  return {
    create: useMutation({
      mutationFn: (change: Change) => api<Row>(`${list}/`, "POST", change),
      onSuccess: (row) => client.setQueryData<Row[]>([list], (rows) => [...(rows ?? []), row]),
    }),
    save: useMutation({
      mutationFn: ({ id, ...change }: Change & { id: string }) => api<Row>(`${list}/${id}/`, "PATCH", change),
      onSuccess: (row) => {
        client.setQueryData<Row[]>([list], (rows) => rows?.map((r) => (r.id === row.id ? row : r)));
        for (const key of stale) void client.invalidateQueries({ queryKey: [key] });
      },
      onError: () => void client.invalidateQueries({ queryKey: [list] }),
    }),
    remove: useMutation({
      mutationFn: (id: string) => api<void>(`${list}/${id}/`, "DELETE"),
      onSuccess: (_, id) => {
        client.setQueryData<Row[]>([list], (rows) => rows?.filter((r) => r.id !== id));
        for (const key of stale) void client.invalidateQueries({ queryKey: [key] });
      },
    }),
  };
}

export const useSavedSetlist = () => useSaved<Setlist, SetlistChange>("setlists", ["shows"]);
export const useSavedRig = () => useSaved<Rig, RigChange>("rigs", ["shows"]);
export const useSavedFeed = () => useSaved<Feed, FeedChange>("feeds", ["rigs"]);
export const useSavedShow = () => useSaved<Show, Partial<ShowChange>>("shows", []);
export const useSavedPlayer = () => useSaved<Player, Partial<Player>>("players", ["shows", "song"]);
