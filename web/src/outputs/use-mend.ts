import { useQueryClient } from "@tanstack/react-query";

import { api } from "@/api/client";
import { useSavedFeed, useSavedRig } from "@/api/queries";
import type { Feed, Patch, Rig, Song, Why } from "@/api/types";
import { put } from "@/api/put";
import { useNotices } from "@/ui/notices";

interface Around {
  rig: Rig;
  feeds: Feed[];
  song: Song | undefined;
  again: () => void;
}

/** What lets a source through that is stopped: the edit that the answer proposes, or null where it is a press of the night. */
export function useMend({ rig, feeds, song, again }: Around) {
  const client = useQueryClient();
  const feed = useSavedFeed();
  const rigs = useSavedRig();
  const { complain } = useNotices();
  const done = { onSuccess: again, onError: complain };
  const editStem = (stem: string, args: object) =>
    void api<Song>(`songs/${song?.id}/edits/`, "POST", { do: "set_stem", args: { stem, ...args } }).then((now) => {
      put(client, ["song", now.id], now);
      again();
    }, complain);
  const sendInto = (id: string, source: string) => {
    const sends = feeds.find((f) => f.id === id)?.sends.filter((s) => s.source !== source) ?? [];
    feed.save.mutate({ id, sends: [...sends, { source, gain_db: 0 }] }, done);
  };
  const rewire = (of: string, args: Partial<Patch>) => {
    const own = (p: Patch) => p.feed === of && p.socket === args.socket && p.side === args.side;
    rigs.save.mutate({ id: rig.id, patches: rig.patches.map((p) => (own(p) ? { ...p, ...args } : p)) }, done);
  };
  const free = (number: number) =>
    rigs.save.mutate(
      { id: rig.id, sockets: rig.sockets.map((s) => (s.number === number ? { ...s, use: "free" } : s)) },
      done,
    );
  return (why: Why): (() => void) | null => {
    const mend = why.stopped_by?.mend;
    switch (mend?.kind) {
      case "stem":
        return song ? () => editStem(mend.of, mend.args) : null;
      case "feed":
        return () => feed.save.mutate({ id: mend.of, ...mend.args }, done);
      case "send":
        return () => sendInto(mend.of, why.source);
      case "patch":
        return () => rewire(mend.of, mend.args);
      case "socket":
        return () => free(Number(mend.of));
      default:
        return null;
    }
  };
}
