import { useTranslation } from "react-i18next";

import type { DressRun } from "@/api/types";
import { duration } from "@/lib/format";

/** The entries as long as they are, with a mark where something was found. */
export function Timeline({ run }: { run: DressRun }) {
  const { t } = useTranslation();
  return (
    <ol aria-label={t("dressRun.timeline")} className="my-3 flex h-[78px] gap-[3px]">
      {run.entries.map((entry, i) => {
        const faults = run.faults.filter((f) => f.entry === i + 1 && !f.left);
        const said = { place: i + 1, title: entry.title, time: duration(entry.seconds), count: faults.length };
        return (
          <li key={entry.id} className="contents">
            <span
              className="relative min-w-0 overflow-hidden border border-t-4 border-line border-t-pine bg-sheet px-2 py-1"
              style={{ flexGrow: entry.seconds }}
              title={entry.title}
            >
              <span className="sr-only">{t(faults.length ? "dressRun.entryWith" : "dressRun.entry", said)}</span>
              <b aria-hidden className="block truncate [font-stretch:80%]">
                {i + 1} {entry.title}
              </b>
              <span aria-hidden className="small">
                {duration(entry.seconds)}
              </span>
              {faults.map((f) => (
                <i
                  key={f.key}
                  aria-hidden
                  className={`absolute bottom-[7px] size-[10px] rotate-45 ${f.severity === "wrong" ? "bg-clay" : "bg-brass"}`}
                  style={{ left: `calc(6px + ${Math.round((88 * ((f.bar ?? 1) - 1)) / Math.max(1, entry.bars))}%)` }}
                />
              ))}
            </span>
            <Gap entry={entry} last={i + 1 === run.entries.length} />
          </li>
        );
      })}
    </ol>
  );
}

function Gap({ entry, last }: { entry: DressRun["entries"][number]; last: boolean }) {
  const { t } = useTranslation();
  if (last) return null;
  const said = [
    entry.link === "after" ? t("dressRun.pause", { seconds: entry.link_seconds }) : "",
    entry.after ? t("dressRun.interval", { minutes: entry.after }) : "",
  ].filter(Boolean);
  if (!said.length) return null;
  return (
    <span className="small w-[46px] shrink-0 border-t-4 border-line2 pt-1 text-center">
      {said.map((s) => (
        <span key={s} className="block">
          {s}
        </span>
      ))}
    </span>
  );
}
