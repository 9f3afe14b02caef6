import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api, Refused } from "@/api/client";
import type { Song } from "@/api/types";
import { useNotices } from "@/ui/notices";

type Way = "edits" | "undo" | "redo";
type Asked = { way: Way; body?: Record<string, unknown> };
export type Edit = (what: string, args?: Record<string, unknown>) => Promise<boolean>;

/** Somebody changed the song since it was shown: what it was, what it is, and an edit that waits for a word. */
export interface Conflict {
  message: string;
  old: Song;
  now: Song;
  again: () => void;
  leave: () => void;
}

/**
 * Every change of a song goes through here: one after the other, each against the revision
 * that the page shows, so that nobody's edit is lost in silence.
 */
export function useEdits(id: string) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const key = ["song", id];
  const change = useMutation({
    scope: { id: `song-${id}` },
    mutationFn: ({ way, body }: Asked) => {
      const revision = client.getQueryData<Song>(key)?.revision;
      return api<Partial<Song>>(`songs/${id}/${way}/`, "POST", { ...body, revision, changes: true });
    },
    // What the page showed when the edit was made, whatever is read meanwhile.
    onMutate: () => client.getQueryData<Song>(key),
    onSuccess: (changes) => {
      client.setQueryData<Song>(key, (song) => song && { ...song, ...changes });
      void client.invalidateQueries({ queryKey: ["songs"] });
      void client.invalidateQueries({ queryKey: ["setlists"] });
    },
    onError: (error, asked, old) => {
      if (error instanceof Refused && error.status === 409) void differ(error, asked, old);
      else complain(error);
    },
  });
  const done = (asked: Asked) => change.mutateAsync(asked).then(
    () => true,
    () => false,
  );
  const differ = async (error: Refused, asked: Asked, old: Song | undefined) => {
    const now = await api<Song>(`songs/${id}/`).catch(() => undefined);
    if (!old || !now) {
      complain(error);
      return;
    }
    // The page shows the song as it is; what was wanted is asked for again, against what can be seen.
    client.setQueryData(key, now);
    const leave = () => setConflict(null);
    const again = () => {
      leave();
      void done(asked);
    };
    setConflict({ message: error.message, old, now, again, leave });
  };
  const edit: Edit = (what, args = {}) => done({ way: "edits", body: { do: what, args } });
  return { edit, undo: () => done({ way: "undo" }), redo: () => done({ way: "redo" }), saving: change.isPending, conflict };
}
