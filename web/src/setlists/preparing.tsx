import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Entry, Setlist } from "@/api/types";
import { put } from "@/api/put";
import { keyTempoWords } from "@/song/key-tempo";
import { PreparingState } from "@/song/preparing-state";
import { useNotices } from "@/ui/notices";

import { useParams } from "react-router";

const OFTEN = 1000;

type Told = Entry["preparing"];

/** How far the songs of a setlist are prepared, by entry; asked again while any is being prepared. */
export function usePreparing(setlist: Setlist): ReadonlyMap<string, Told> {
  const working = (entries: readonly Entry[]) => entries.some((e) => e.preparing?.state === "working");
  const now = useQuery({
    queryKey: ["preparing", setlist.id, setlist.revision],
    queryFn: () => api<Setlist>(`setlists/${setlist.id}/`),
    enabled: working(setlist.entries),
    refetchInterval: ({ state }) => (state.data && !working(state.data.entries) ? false : OFTEN),
  });
  return new Map((now.data?.entries ?? setlist.entries).map((e) => [e.id, e.preparing]));
}

/** How far one song is prepared in its key and tempo, and preparing it where that was broken off. */
export function Preparing({ entry }: { entry: Entry }) {
  const { id } = useParams();
  const client = useQueryClient();
  const { complain } = useNotices();
  const again = useMutation({
    mutationFn: () => api<Setlist>(`setlists/${id}/prepare/`, "POST"),
    onSuccess: (now) => {
      put<Setlist[]>(client, ["setlists"], (rows) => rows?.map((r) => (r.id === now.id ? now : r)));
      void client.resetQueries({ queryKey: ["preparing", now.id] });
    },
    onError: complain,
  });
  const now = entry.preparing;
  if (!now) return null;
  return <PreparingState now={now} again={() => again.mutate()} busy={again.isPending} />;
}

/** That a song is played in another key and tempo, where it stands in the order. */
export function Moved({ entry }: { entry: Entry }) {
  const { t } = useTranslation();
  const now = entry.preparing;
  if (!now) return null;
  return (
    <>
      <span className="tag whitespace-nowrap tabular-nums">
        {keyTempoWords(entry.played_semitones, entry.played_percent, t)}
      </span>
      {now.state === "working" && (
        <span className="tag whitespace-nowrap tabular-nums">
          {t("preparing.percent", { percent: Math.round(100 * now.progress) })}
        </span>
      )}
      {(now.state === "none" || now.state === "refused") && (
        <span className="tag bg-claybg! whitespace-nowrap text-clay!">{t("preparing.none")}</span>
      )}
    </>
  );
}
