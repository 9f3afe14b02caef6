import { useQuery } from "@tanstack/react-query";

import { api } from "@/api/client";
import type { Grid, Song, Strip } from "@/api/types";

const asked = (stems: string[] | null) => (stems ? `stems=${stems.join(",")}` : "");

/** The grid beside what is heard; belongs to one revision of the song, and is asked for while the worker listens. */
export const useGrid = (song: Song, stems: string[] | null) =>
  useQuery({
    queryKey: ["grid", song.id, stems, song.revision],
    queryFn: async () => {
      const path = `songs/${song.id}/grid/?${asked(stems)}`;
      const known = await api<Grid>(path);
      return known.state === "none" && song.stems.length ? api<Grid>(path, "POST") : known;
    },
    refetchInterval: ({ state }) => (state.data?.state === "working" ? 500 : false),
    placeholderData: (before) => before,
    staleTime: 0,
  });

export const useStrips = (song: Song, stems: string[] | null, bars: number[]) =>
  useQuery({
    queryKey: ["strips", song.id, stems, song.revision, bars],
    queryFn: () => api<Strip[]>(`songs/${song.id}/strips/?bars=${bars.join(",")}&${asked(stems)}`),
    enabled: bars.length > 0,
    placeholderData: (before) => before,
  });
