import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { api } from "@/api/client";
import type { NightFormMade, NightTold, Song, TimesTaken } from "@/api/types";
import { useNotices } from "@/ui/notices";

export type EntryTold = NightTold["entries"][number];
export type LevelThen = EntryTold["levels"][number];

export const useNightTold = (name: string) =>
  useQuery({
    queryKey: ["night", name],
    queryFn: () => api<NightTold>(`nights/${name}/report/`),
    enabled: name !== "",
    retry: false,
  });

export const useTimesTaken = (wanted: boolean) =>
  useQuery({ queryKey: ["night-times"], queryFn: () => api<TimesTaken>("nights/times/"), enabled: wanted });

/** What is taken from a night into its songs. */
export function useNightActs(name: string) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const onSuccess = () =>
    Promise.all([["night", name], ["song"], ["songs"]].map((queryKey) => client.invalidateQueries({ queryKey })));
  const keep = useMutation({
    mutationFn: async ({ song, level }: { song: string; level: LevelThen }) => {
      const { revision } = await api<Song>(`songs/${song}/`);
      const args = { stem: level.part.replace("stem:", ""), gain_db: level.becomes };
      await api(`songs/${song}/edits/`, "POST", { do: "set_stem", args, revision, changes: true });
    },
    onSuccess,
    onError: complain,
  });
  const makeForm = useMutation({
    mutationFn: (wish: { entry: number; name: string }) => api<NightFormMade>(`nights/${name}/form/`, "POST", wish),
    onSuccess,
    onError: complain,
  });
  return { keep, makeForm };
}
