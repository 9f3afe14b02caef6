import { useTranslation } from "react-i18next";

import type { EntryShown } from "@/api/types";
import { sign } from "@/lib/chords";

import type { Playing } from "./engine-state";

const SHOWN = 8;

/** The bars around the one that sounds, eight at a time, with their chords; behind the last the first bar of what comes. */
export function BarStrip({ entry, state }: { entry: EntryShown; state: Playing }) {
  const { t } = useTranslation();
  const playing = state.status === "playing";
  const step = entry.steps[state.position.step];
  if (!step || state.status === "standby" || state.status === "finished") return null;
  const row = Math.floor((state.position.bar - step.first_bar) / SHOWN);
  const first = step.first_bar + Math.max(0, row) * SHOWN;
  const beats = state.position.beats ?? 4;
  const end = step.first_bar + step.bars;
  const coming = entry.steps[state.coming?.step ?? -1];
  const chords = new Map(entry.chords.map((c) => [c.bar, sign(c.text)]));
  return (
    <ol aria-label={t("stage.bars")} className="grid grid-cols-8 border border-line">
      {Array.from({ length: SHOWN }, (_, i) => {
        const bar = first + i;
        const here = playing && bar === state.position.bar;
        const inside = bar < end;
        // In place of the bar behind the section's last stands the first of the section that comes.
        const next = bar === end ? coming : undefined;
        const text = chords.get(next ? next.first_bar : inside ? bar : 0) ?? "";
        return (
          <li
            key={i}
            aria-current={here ? "true" : undefined}
            className={`flex min-h-[54px] flex-col justify-between border-r border-line px-2 py-[5px] last:border-r-0 ${here ? "bg-brassbg" : ""}`}
          >
            <span className="flex min-w-0 items-baseline gap-2">
              <span
                className={`text-[13px] font-[650] text-soft [font-stretch:85%] ${inside || next ? "" : "invisible"}`}
              >
                {next ? next.mark : bar}
              </span>
              <b
                className={`min-w-0 leading-tight font-[650] [font-stretch:82%] ${text.length > 6 ? "text-[13px]" : "text-[16px]"} ${next ? "text-soft" : ""}`}
              >
                {text}
              </b>
            </span>
            <Beats count={inside ? beats : 0} gone={here ? state.position.beat : 0} />
          </li>
        );
      })}
    </ol>
  );
}

/** The beats of a bar, those that are gone lit. */
function Beats({ count, gone }: { count: number; gone: number }) {
  return (
    <span className="flex h-[5px] gap-[3px]" aria-hidden>
      {Array.from({ length: count }, (_, b) => (
        <i key={b} className={`flex-1 ${b < gone ? "bg-brassline" : "bg-line"}`} />
      ))}
    </span>
  );
}
