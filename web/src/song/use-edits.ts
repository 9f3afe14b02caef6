import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";

import { api, Refused } from "@/api/client";
import type { Edit } from "@/api/edits";
import { put } from "@/api/put";
import type { Song } from "@/api/types";
import { useNotices } from "@/ui/notices";

import { echo } from "./echo";

type Way = "edits" | "undo" | "redo";
type Asked = { way: Way; body?: { do: string; args: Record<string, unknown> } };

/** Somebody changed the song since it was shown: what it was, what it is, and an edit that waits for a word. */
export interface Conflict {
  message: string;
  old: Song;
  now: Song;
  again: () => void;
  leave: () => void;
}

/** What edits changed, as it was before each, the last on top; true of a song of revision ``at`` alone. */
interface Past {
  at: number;
  parts: Partial<Song>[];
}

const KEPT = 50;
// What was measured, or belongs to the moment, is not brought back by undo.
const OF_NOW = new Set<keyof Song>(["id", "revision", "can_undo", "can_redo", "findings", "offers", "together"]);

/**
 * Every change of a song goes through here: one after the other, each against the revision
 * that the page shows, so that nobody's edit is lost in silence. What needs no rule of the core to
 * be known (a typed value, what was there before) is shown at once, and the answer takes its place.
 */
export function useEdits(id: string) {
  const client = useQueryClient();
  const line = useRef<Promise<unknown>>(Promise.resolve());
  const waiting = useRef(0);

  const { conflict, differ, againRef } = useConflict(id);
  const run = useRun(id, waiting, differ);

  const done = useCallback(
    (asked: Asked): Promise<boolean> => {
      // What the page showed when the edit was made, whatever is read meanwhile.
      const old = client.getQueryData<Song>(["song", id]);
      waiting.current += 1;
      const turn = line.current.then(() => run(asked, old)).finally(() => (waiting.current -= 1));
      line.current = turn;
      return turn;
    },
    [client, id, run],
  );
  useEffect(() => {
    againRef.current = (asked) => void done(asked);
  }, [againRef, done]);

  const ways = useMemo(() => {
    const edit: Edit = (what, args) => done({ way: "edits", body: { do: what, args: { ...args } } });
    return { edit, undo: () => void done({ way: "undo" }), redo: () => void done({ way: "redo" }) };
  }, [done]);
  return { ...ways, conflict };
}

/** The difference to be shown where somebody else changed the song, and what asks for the edit again. */
function useConflict(id: string) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const [conflict, setConflict] = useState<Conflict | null>(null);
  const againRef = useRef<(asked: Asked) => void>(() => undefined);

  const differ = useCallback(
    async (error: Refused, asked: Asked, old: Song | undefined) => {
      const now = await api<Song>(`songs/${id}/`).catch(() => undefined);
      if (!old || !now) {
        complain(error);
        return;
      }
      // The page shows the song as it is; what was wanted is asked for again, against what can be seen.
      put(client, ["song", id], now);
      const leave = () => setConflict(null);
      const retry = () => {
        leave();
        againRef.current(asked);
      };
      setConflict({ message: error.message, old, now, again: retry, leave });
    },
    [client, complain, id],
  );

  return { conflict, differ, againRef };
}

type Differ = ReturnType<typeof useConflict>["differ"];

/** One edit, shown at once where the page can, and sent; false where it was refused. */
function useRun(id: string, waiting: React.RefObject<number>, differ: Differ) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const past = useRef<Past>({ at: -1, parts: [] });
  return useCallback(
    async (asked: Asked, old: Song | undefined): Promise<boolean> => {
      const key = ["song", id];
      const before = client.getQueryData<Song>(key);
      const guessed = before && waiting.current === 1 ? ahead(before, asked, past.current) : null;
      if (before && guessed) client.setQueryData<Song>(key, { ...before, ...guessed });
      try {
        const changes = await api<Partial<Song>>(`songs/${id}/${asked.way}/`, "POST", {
          ...asked.body,
          revision: before?.revision,
          changes: true,
        });
        if (before) past.current = passed(past.current, asked.way, before, changes);
        put<Song>(client, key, (song) => song && { ...song, ...changes });
        void client.invalidateQueries({ queryKey: ["songs"] });
        void client.invalidateQueries({ queryKey: ["setlists"] });
        return true;
      } catch (error) {
        if (before && guessed)
          client.setQueryData<Song>(key, (song) => song && { ...song, ...inverse(before, guessed) });
        if (error instanceof Refused && error.status === 409) void differ(error, asked, old);
        else complain(error);
        return false;
      }
    },
    [client, complain, differ, id, waiting],
  );
}

/** What the page can show before the answer is there; null where it has to wait for it. */
function ahead(song: Song, asked: Asked, past: Past): Partial<Song> | null {
  if (asked.way === "undo") return (past.at === song.revision && past.parts.at(-1)) || null;
  return asked.body ? echo(song, asked.body.do, asked.body.args) : null;
}

function passed(past: Past, way: Way, before: Song, changes: Partial<Song>): Past {
  const known = past.at === before.revision ? past.parts : [];
  return {
    at: changes.revision ?? -1,
    parts: way === "undo" ? known.slice(0, -1) : [...known, inverse(before, changes)].slice(-KEPT),
  };
}

/** The parts of a song that ``changes`` names, as they are before. */
function inverse(before: Song, changes: Partial<Song>): Partial<Song> {
  const names = (Object.keys(changes) as (keyof Song)[]).filter((name) => !OF_NOW.has(name));
  return Object.fromEntries(names.map((name) => [name, before[name]]));
}
