import { useTranslation } from "react-i18next";

import type { EntryShown } from "@/api/types";

import { isByHand } from "./endings";
import { can, type Playing, whyNot } from "./engine-state";

/** The form as a road: every step as wide as it is long; a tap makes it next up. */
export function Road({ entry, state, tap }: { entry: EntryShown; state: Playing; tap: (step: number) => void }) {
  const { t } = useTranslation();
  const playing = state.status === "playing" || state.status === "count_in";
  const here = playing || state.status === "stopped" ? state.position.step : -1;
  return (
    <div role="group" aria-label={t("stage.road")} className="flex h-[100px] gap-[3px] overflow-x-auto">
      {entry.steps.map((step, i) => {
        const cut = step.ending.kind === "cut";
        const next = state.coming?.asked && state.coming.step === i;
        const at = here === i && !state.position.counting ? partOf(step, state.position) : 0;
        const end =
          step.ending.kind === "attacca"
            ? ""
            : ` · ${t(`ending.road.${step.ending.kind}`, { times: step.ending.times })}`;
        return (
          <button
            key={i}
            type="button"
            onMouseDown={(e) => e.preventDefault()}
            onKeyDown={(e) => e.repeat && (e.key === "Enter" || e.key === " ") && e.preventDefault()}
            disabled={cut || !can(state, "go_to")}
            title={cut ? undefined : whyNot(state, "go_to")}
            aria-current={here === i ? "step" : undefined}
            onClick={() => tap(i)}
            className={`k${step.colour} relative min-w-[56px] overflow-hidden border-t-4 border-[var(--k)] bg-[var(--kb)] px-[7px] py-[6px] text-left ${cut ? "opacity-40 line-through" : ""} ${here === i ? "outline-2 -outline-offset-2 outline-ink" : next ? "outline-2 -outline-offset-2 outline-dashed outline-brassline" : ""}`}
            style={{ flex: `${step.bars} 1 0` }}
          >
            <span className="sr-only">{t("stage.goTo")} </span>
            <b className="block text-[17px] [font-stretch:80%]">{step.mark}</b>
            <span className="block truncate text-[14px]">{step.name}</span>
            <span className="absolute bottom-[6px] left-[7px] whitespace-nowrap text-[11.5px] text-soft">
              {step.bars}
              {end}
              {isByHand(state, state.position.entry, i) ? ` · ${t("stage.byHand")}` : ""}
              {next ? ` · ${t("stage.next")}` : ""}
            </span>
            {here === i && <span className="absolute inset-y-0 w-[3px] bg-ink" style={{ left: `${at * 100}%` }} />}
          </button>
        );
      })}
    </div>
  );
}

/** How far through a step the song is, 0 to 1. */
function partOf(step: EntryShown["steps"][number], position: Playing["position"]): number {
  return Math.min(
    1,
    Math.max(
      0,
      (position.bar - step.first_bar + (position.beat - 1 + position.phase) / (position.beats ?? 4)) / step.bars,
    ),
  );
}
