import { useTranslation } from "react-i18next";

import { useLastDressRun } from "@/api/outputs";
import type { Show } from "@/api/types";
import { signed } from "@/lib/format";

const SHOWN = 4;

/** The loudest moment of the loudest sockets over a whole show, as its newest dress run measured them. */
export function Loudest({ show }: { show: Show }) {
  const { t } = useTranslation();
  const run = useLastDressRun(show.id).data;
  if (!run) return null;
  const loud = run.sockets
    .flatMap((s) => (s.true_peak_dbtp === null ? [] : [{ ...s, peak: s.true_peak_dbtp }]))
    .sort((a, b) => b.peak - a.peak)
    .slice(0, SHOWN);
  return (
    <section aria-label={t("outputs.loudest.title")} className="mt-5">
      <h2 className="mb-1">{t("outputs.loudest.title")}</h2>
      {run.at === null && <p className="small">{t("outputs.loudest.none", { show: show.title })}</p>}
      <ul>
        {loud.map((s) => {
          const title = s.entry === null ? undefined : run.entries[s.entry - 1]?.title;
          return (
            <li key={s.number} className="border-t border-line2 py-1">
              <b className="font-[650]">{t("outputs.loudest.one", { number: s.number, level: signed(s.peak) })}</b>{" "}
              {s.peak > 0 && <span className="text-clay">{t("outputs.loudest.over", { db: s.peak.toFixed(1) })}</span>}
              {title && <span className="small block">{t("outputs.loudest.where", { title, bar: s.bar })}</span>}
            </li>
          );
        })}
      </ul>
    </section>
  );
}
