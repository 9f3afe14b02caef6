import { useMutation, useQueryClient } from "@tanstack/react-query";

import { api, Refused } from "@/api/client";
import type { Song } from "@/api/types";
import { useNotices } from "@/ui/notices";

type Way = "edits" | "undo" | "redo";
export type Edit = (what: string, args?: Record<string, unknown>) => Promise<boolean>;

/**
 * Every change of a song goes through here: one after the other, each against the revision
 * that the page shows, so that nobody's edit is lost in silence.
 */
export function useEdits(id: string) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const key = ["song", id];
  const change = useMutation({
    scope: { id: `song-${id}` },
    mutationFn: ({ way, body }: { way: Way; body?: Record<string, unknown> }) => {
      const revision = client.getQueryData<Song>(key)?.revision;
      return api<Song>(`songs/${id}/${way}/`, "POST", { ...body, revision });
    },
    onSuccess: (song) => {
      client.setQueryData(key, song);
      void client.invalidateQueries({ queryKey: ["songs"] });
      void client.invalidateQueries({ queryKey: ["setlists"] });
    },
    onError: (error) => {
      complain(error);
      // Somebody else was quicker: show the song as it is now.
      if (error instanceof Refused && error.status === 409) void client.invalidateQueries({ queryKey: key });
    },
  });
  const done = (way: Way, body?: Record<string, unknown>) => change.mutateAsync({ way, body }).then(
    () => true,
    () => false,
  );
  const edit: Edit = (what, args = {}) => done("edits", { do: what, args });
  return { edit, undo: () => done("undo"), redo: () => done("redo"), saving: change.isPending };
}
