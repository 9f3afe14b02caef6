import { useTranslation } from "react-i18next";

import type { EntryShown } from "@/api/types";

import type { Playing } from "./engine-state";

const SHOWN = 8;

/** The bars around the one that sounds, eight at a time, as a player counts them. */
export function BarStrip({ entry, state }: { entry: EntryShown; state: Playing }) {
  const { t } = useTranslation();
  const playing = state.status === "playing";
  const step = entry.steps[state.position.step];
  if (!step || state.status === "standby" || state.status === "finished") return null;
  const row = Math.floor((state.position.bar - step.first_bar) / SHOWN);
  const first = step.first_bar + Math.max(0, row) * SHOWN;
  const beats = state.position.beats ?? 4;
  return (
    <ol aria-label={t("stage.bars")} className="grid grid-cols-8 border border-line">
      {Array.from({ length: SHOWN }, (_, i) => {
        const bar = first + i;
        const here = playing && bar === state.position.bar;
        const inside = bar < step.first_bar + step.bars;
        return (
          <li
            key={i}
            aria-current={here ? "true" : undefined}
            className={`flex min-h-[52px] flex-col justify-between border-r border-line px-2 py-[5px] last:border-r-0 ${here ? "bg-brassbg" : ""}`}
          >
            <span className={`text-[15px] font-[650] [font-stretch:85%] ${inside ? "" : "invisible"}`}>{bar}</span>
            <span className={`flex gap-[3px] ${inside ? "" : "invisible"}`} aria-hidden>
              {Array.from({ length: beats }, (_, b) => (
                <i
                  key={b}
                  className={`h-[5px] flex-1 ${here && b < state.position.beat ? "bg-brassline" : "bg-line"}`}
                />
              ))}
            </span>
          </li>
        );
      })}
    </ol>
  );
}
