import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import { useMatch } from "@/api/queries";
import type { Matched, Setlist } from "@/api/types";
import { signed, typed } from "@/lib/format";
import { LineUpChoice, useLineUp } from "@/people/line-up";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";
import { Typed } from "@/ui/typed";

/** The songs of a set made equally loud in one press, with before and after. */
export function MatchDialog({ setlist, onClose }: { setlist: Setlist; onClose: () => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const client = useQueryClient();
  const lineUp = useLineUp();
  const [target, setTarget] = useState("");
  const [before, setBefore] = useState<Matched["before"] | null>(null);
  const match = useMatch(setlist.id, lineUp.id, target);
  const change = useMutation({
    mutationFn: (gains: Matched["before"] | undefined) =>
      api<Matched>(`setlists/${setlist.id}/match/`, "POST", {
        line_up: lineUp.id || null,
        target,
        ...(gains && { gains }),
      }),
    // An answer under way still tells the gains of before.
    onMutate: () => client.cancelQueries({ queryKey: ["match"] }),
    onSuccess: ({ before: was, ...told }, gains) => {
      setBefore(gains ? null : was);
      client.setQueryData(["match", setlist.id, lineUp.id, target], told);
      void client.invalidateQueries({ queryKey: ["song"] });
      void client.invalidateQueries({ queryKey: ["level"] });
    },
    onError: complain,
  });
  const data = match.data;
  const level = (v: number | null) => (v === null ? "–" : signed(v));
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
          <table className="w-full border-collapse [&_td]:border-t [&_td]:border-line2 [&_td]:px-2 [&_td]:py-1 [&_th]:px-2 [&_th]:text-left [&_th]:text-[11.5px] [&_th]:font-[600] [&_th]:text-soft">
            <thead>
              <tr>
                {(["song", "now", "change", "after"] as const).map((c) => (
                  <th key={c} scope="col">
                    {t(`match.col_${c}`)}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {data.songs.map((s) => (
                <tr key={s.song}>
                  <td>{s.title}</td>
                  <td>
                    {s.state === "working" ? (
                      <span role="status">{t("levels.measuring")}</span>
                    ) : s.message ? (
                      <span className="small">{s.message}</span>
                    ) : (
                      t("match.figures", { lufs: level(s.lufs), peak: level(s.peak_dbtp) })
                    )}
                  </td>
                  <td className="whitespace-nowrap font-[650]">
                    {s.proposed_db === null
                      ? ""
                      : Math.abs(s.proposed_db - s.gain_db) < 0.05
                        ? t("match.stays")
                        : t("match.by", { gain: signed(s.proposed_db - s.gain_db, 1, true) })}
                  </td>
                  <td className="whitespace-nowrap">
                    {s.after_lufs !== null &&
                      t("match.figures", { lufs: level(s.after_lufs), peak: level(s.after_peak_dbtp) })}
                    {s.short_db > 0 && (
                      <span className="block text-clay">{t("match.short", { by: signed(s.short_db) })}</span>
                    )}
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
          {data.reachable !== null && data.target !== null && data.target > data.reachable + 0.05 && (
            <p className="mt-2 text-clay">{t("match.reachable", { level: signed(data.reachable) })}</p>
          )}
          <div className="mt-4 flex justify-end gap-2">
            {before && (
              <button type="button" className="btn" disabled={change.isPending} onClick={() => change.mutate(before)}>
                {t("match.back")}
              </button>
            )}
            <button
              type="button"
              className="btn pri"
              disabled={!data.ready || change.isPending}
              onClick={() => change.mutate(undefined)}
            >
              {t("match.do")}
            </button>
          </div>
        </>
      )}
    </Dialog>
  );
}
