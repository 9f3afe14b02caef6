import { useEffect, useRef } from "react";

import { api } from "@/api/client";
import { useSendNow } from "@/api/devices";
import type { Holds, Song, SongMessages } from "@/api/types";
import type { Places } from "@/hear/places";
import { useNotices } from "@/ui/notices";

type Send = SongMessages["messages"][number]["message"]["send"];

/** A message where the song is heard straight through: a bar from 1, and how far into it, 0 to 1. */
export interface Due {
  at: number;
  device: string;
  send: Send;
}

/** What goes out while a song is heard straight through, in order. */
export function dueIn(song: Pick<Song, "sections" | "bars">, found: SongMessages): Due[] {
  const all = found.messages
    .filter(({ message, lost }) => !lost && [null, undefined, 1, "last"].includes(message.at.pass))
    .map(({ message, section, bar }): Due | null => {
      const { device, send, at } = message;
      if (at.place === "start") return { at: 1, device, send };
      if (at.place === "end") return { at: song.bars + 1, device, send };
      const own = song.sections.find((s) => s.id === section);
      const beats = found.sections.find((s) => s.id === section)?.beats[bar ?? 0] ?? 4;
      const within = at.place === "bar" ? (at.beat - 1) / beats : 0;
      return own ? { at: own.first_bar + (bar ?? 0) + within, device, send } : null;
    });
  return all.filter((one) => one !== null).sort((a, b) => a.at - b.at);
}

/** Further in one turn than this the song was gone to from elsewhere. */
const FARTHEST = 1;

/** Sends what a song sends while it is heard in this page: what holds where one begins, then each message at its place. */
export function useSentWhileHeard(places: Places, song: Song, found: SongMessages, on: boolean) {
  const { complain } = useNotices();
  const send = useSendNow().mutate;
  const latest = useRef({ song, found });
  latest.current = { song, found };
  useEffect(() => {
    if (!on) return;
    let before: number | null = null;
    const out = (one: Pick<Due, "device" | "send">) => send(one, { onError: complain });
    const moved = () => {
      const place = places.get();
      const now = place ? place.bar + place.phase : null;
      const { song: heard, found: lanes } = latest.current;
      const from = before;
      before = now;
      if (now === null) return;
      const due = dueIn(heard, lanes);
      if (from !== null && now >= from && now <= from + FARTHEST) {
        for (const one of due) if (one.at > from && one.at <= now) out(one);
        return;
      }
      const bar = Math.floor(now);
      void broughtTo(heard, bar)
        .then((held) => [...held, ...due.filter((one) => one.at >= bar && one.at <= now)].forEach(out))
        .catch(complain);
    };
    return places.watch(moved);
  }, [places, on, send, complain]);
}

/** What holds where a bar begins. */
async function broughtTo(song: Song, at: number): Promise<Pick<Due, "device" | "send">[]> {
  const step = song.sections.findIndex((s) => at < s.first_bar + s.bars);
  const section = song.sections[step];
  if (!section) return [];
  const bar = Math.max(1, at - section.first_bar + 1);
  const { holds } = await api<Holds>(`songs/${song.id}/holds/?form=full&step=${step}&bar=${bar}`);
  return holds.map(({ device, says }) => ({ device, send: says }));
}
