import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Entry, Setlist } from "@/api/types";
import { duration } from "@/lib/format";
import { useNotices } from "@/ui/notices";
import { Progress } from "@/ui/progress";

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
  const { t } = useTranslation();
  const { id } = useParams();
  const client = useQueryClient();
  const { complain } = useNotices();
  const again = useMutation({
    mutationFn: () => api<Setlist>(`setlists/${id}/prepare/`, "POST"),
    onSuccess: (now) => {
      client.setQueryData<Setlist[]>(["setlists"], (rows) => rows?.map((r) => (r.id === now.id ? now : r)));
      void client.resetQueries({ queryKey: ["preparing", now.id] });
    },
    onError: complain,
  });
  const now = entry.preparing;
  if (!now) return null;
  if (now.state === "ready") return <p role="status">{t("preparing.ready")}</p>;
  if (now.state === "working")
    return (
      <div className="flex items-center gap-3">
        <Progress label={t("preparing.working")} done={now.progress} />
        <span role="status">
          {now.left_s === null ? t("preparing.working") : t("preparing.left", { left: duration(now.left_s) })}
        </span>
      </div>
    );
  return (
    <div className="flex items-center gap-3">
      <p className="min-w-0 grow text-clay">{now.message || t("preparing.none")}</p>
      <button type="button" className="btn" disabled={again.isPending} onClick={() => again.mutate()}>
        {t("preparing.again")}
      </button>
    </div>
  );
}

/** That a song is played in another key and tempo, where it stands in the order. */
export function Moved({ entry }: { entry: Entry }) {
  const { t } = useTranslation();
  const now = entry.preparing;
  if (!now) return null;
  const parts = [
    entry.semitones
      ? t("keyTempo.tag", { n: entry.semitones > 0 ? `+${entry.semitones}` : `−${-entry.semitones}` })
      : "",
    entry.tempo_percent === 100 ? "" : `${entry.tempo_percent} %`,
  ];
  return (
    <>
      <span className="tag whitespace-nowrap tabular-nums">{parts.filter(Boolean).join(" · ")}</span>
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
