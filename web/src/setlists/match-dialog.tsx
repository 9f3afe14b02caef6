import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import { useMatch } from "@/api/queries";
import type { Match, Matched, Setlist } from "@/api/types";
import { signed, typed } from "@/lib/format";
import { LineUpChoice, useLineUp } from "@/people/line-up";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";
import { Typed } from "@/ui/typed";
import { HeadRow } from "@/ui/head-row";

/** The songs of a set made equally loud in one press, with before and after. */
export function MatchDialog({ setlist, onClose }: { setlist: Setlist; onClose: () => void }) {
  const { t } = useTranslation();
  const lineUp = useLineUp();
  const [target, setTarget] = useState("");
  const match = useMatch(setlist.id, lineUp.id, target);
  const { before, change } = useMatching({ setlist, lineUp: lineUp.id, target });
  const data = match.data;
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("match.title", { name: setlist.name })}
      about={t("match.about")}
      wide
    >
      <div className="mb-3 flex flex-wrap items-center gap-4">
        <LineUpChoice lineUp={lineUp} />
        <label className="flex items-center gap-2">
          <span className="small">{t("match.target")}</span>
          <Typed
            className="w-[112px]"
            inputMode="decimal"
            placeholder={data?.target != null && !data.typed ? t("match.own", { level: signed(data.target) }) : ""}
            value={target && signed(Number(target))}
            onDone={(text) => setTarget(typed(text))}
          />{" "}
          LUFS
        </label>
      </div>
      {match.error && <Trouble error={match.error} again={() => void match.refetch()} />}
      {!data && !match.error && <Waiting />}
      {data && (
        <>
          <Levels songs={data.songs} />
          {data.reachable !== null && data.target !== null && data.target > data.reachable + 0.05 && (
            <p className="mt-2 text-clay">{t("match.reachable", { level: signed(data.reachable) })}</p>
          )}
          <Acts ready={data.ready} before={before} change={change} />
        </>
      )}
    </Dialog>
  );
}

interface Matching {
  setlist: Setlist;
  lineUp: string;
  target: string;
}

/** The press that matches the songs, and what takes it back: the gains of before. */
function useMatching({ setlist, lineUp, target }: Matching) {
  const { complain } = useNotices();
  const client = useQueryClient();
  const [before, setBefore] = useState<Matched["before"] | null>(null);
  const change = useMutation({
    mutationFn: (gains: Matched["before"] | undefined) =>
      api<Matched>(`setlists/${setlist.id}/match/`, "POST", {
        line_up: lineUp || null,
        target,
        ...(gains && { gains }),
      }),
    // An answer under way would still give the gains of before.
    onMutate: () => client.cancelQueries({ queryKey: ["match"] }),
    onSuccess: ({ before: was, ...answer }, gains) => {
      setBefore(gains ? null : was);
      client.setQueryData(["match", setlist.id, lineUp, target], answer);
      void client.invalidateQueries({ queryKey: ["song"] });
      void client.invalidateQueries({ queryKey: ["level"] });
    },
    onError: complain,
  });
  return { before, change };
}

interface ActsProps extends ReturnType<typeof useMatching> {
  ready: boolean;
}

function Acts({ ready, before, change }: ActsProps) {
  const { t } = useTranslation();
  return (
    <div className="mt-4 flex justify-end gap-2">
      {before && (
        <button type="button" className="btn" disabled={change.isPending} onClick={() => change.mutate(before)}>
          {t("match.back")}
        </button>
      )}
      <button
        type="button"
        className="btn pri"
        disabled={!ready || change.isPending}
        onClick={() => change.mutate(undefined)}
      >
        {t("match.do")}
      </button>
    </div>
  );
}

const level = (v: number | null) => (v === null ? "–" : signed(v));

function Levels({ songs }: { songs: Match["songs"] }) {
  const { t } = useTranslation();
  return (
    <table className="w-full border-collapse [&_td]:border-t [&_td]:border-line2 [&_td]:px-2 [&_td]:py-1 [&_th]:px-2 [&_th]:text-left [&_th]:text-[11.5px] [&_th]:font-[600] [&_th]:text-soft">
      <HeadRow titles={(["song", "now", "change", "after"] as const).map((c) => t(`match.col_${c}`))} />
      <tbody>
        {songs.map((s) => (
          <Row key={s.song} song={s} />
        ))}
      </tbody>
    </table>
  );
}

/** A song: how loud it is, by how much it is changed, and how loud it is then. */
function Row({ song }: { song: Match["songs"][number] }) {
  const { t } = useTranslation();
  return (
    <tr>
      <td>{song.title}</td>
      <td>
        {song.state === "working" ? (
          <span role="status">{t("levels.measuring")}</span>
        ) : song.message ? (
          <span className="small">{song.message}</span>
        ) : (
          t("match.figures", { lufs: level(song.lufs), peak: level(song.peak_dbtp) })
        )}
      </td>
      <td className="whitespace-nowrap font-[650]">
        {song.proposed_db === null
          ? ""
          : Math.abs(song.proposed_db - song.gain_db) < 0.05
            ? t("match.stays")
            : t("match.by", { gain: signed(song.proposed_db - song.gain_db, 1, true) })}
      </td>
      <td className="whitespace-nowrap">
        {song.after_lufs !== null &&
          t("match.figures", { lufs: level(song.after_lufs), peak: level(song.after_peak_dbtp) })}
        {song.short_db > 0 && (
          <span className="block text-clay">{t("match.short", { by: signed(song.short_db) })}</span>
        )}
      </td>
    </tr>
  );
}
