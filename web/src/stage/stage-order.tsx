import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";
import { beatUnit, duration, tempo } from "@/lib/format";

import { can, type Playing, whyNot } from "./engine-state";

/** The running order at the left; while nothing plays, a tap makes an entry stand by. */
export function StageOrder({ entries, state, press }: { entries: EntryShown[]; state: Playing; press: Press }) {
  const { t } = useTranslation();
  const playing = state.status === "playing" || state.status === "count_in";
  const now = playing || state.status === "stopped" ? state.position.entry : state.entry;
  return (
    <nav aria-label={t("stage.order")} className="min-h-0 overflow-auto border-r border-line py-[10px]">
      <ol>
        {entries.map((entry, i) => (
          <li key={entry.id}>
            <button
              type="button"
              disabled={!can(state, "stand_by")}
              title={whyNot(state, "stand_by")}
              aria-current={i === now ? "true" : undefined}
              onClick={() => press("stand_by", { entry: i })}
              className={`grid min-h-[56px] w-full grid-cols-[24px_minmax(0,1fr)] gap-x-2 border-l-4 px-[14px] py-2 text-left ${i === now ? "border-brassline bg-brassbg" : "border-transparent"} ${playing ? "" : "hover:bg-line2"}`}
            >
              <span>{i + 1}</span>
              <b className="truncate text-[14px] font-semibold">{entry.title}</b>
              <span />
              <span className="small">
                {[`${beatUnit(entry.unit)} ${tempo(entry.bpm)}`, entry.key, duration(entry.seconds)]
                  .filter(Boolean)
                  .join(" · ")}
                {i === now && !playing && state.status !== "finished"
                  ? ` · ${t(state.status === "stopped" ? "stage.stopped" : "stage.standingBy")}`
                  : ""}
              </span>
            </button>
            {i < entries.length - 1 && (
              <p className="px-[14px] py-px pl-[46px] text-[11px] text-soft">
                {t(`stage.link.${entry.link.kind}`, { seconds: entry.link.seconds })}
              </p>
            )}
          </li>
        ))}
      </ol>
    </nav>
  );
}
