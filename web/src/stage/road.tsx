import { Hand } from "lucide-react";
import { useEffect, useRef } from "react";
import { useTranslation } from "react-i18next";

import type { EntryShown } from "@/api/types";

import { isByHand } from "./endings";
import { can, isMoving, type Playing, whyNot } from "./engine-state";
import { StageButton } from "./stage-button";

const FIT_ONE_ROW = 7;

interface Props {
  entry: EntryShown;
  state: Playing;
  tap: (step: number) => void;
}

/**
 * The form as a road of two rows, or three where there is room: a step is as wide as it is long, and wide enough for its name.
 *
 * A long form is seen around the step that plays. A tap makes a step next up.
 */
export function Road({ entry, state, tap }: Props) {
  const { t } = useTranslation();
  const road = useRef<HTMLDivElement>(null);
  const bars = entry.steps.reduce((sum, step) => sum + step.bars, 0);
  const here = isMoving(state) || state.status === "stopped" ? state.position.step : -1;
  useEffect(() => {
    const [all, cell] = [road.current, road.current?.children[here]];
    if (all && cell instanceof HTMLElement)
      all.scrollTop = cell.offsetTop - all.offsetTop - (all.clientHeight - cell.offsetHeight) / 2;
  }, [here]);
  return (
    <div
      ref={road}
      role="group"
      aria-label={t("stage.road")}
      // While its steps cannot be pressed, a long form is scrolled by the arrow keys.
      tabIndex={can(state, "go_to") ? undefined : 0}
      className="flex h-[clamp(117px,17vh,190px)] flex-none flex-wrap gap-[3px] overflow-y-auto"
    >
      {entry.steps.map((step, i) => (
        <Cell key={i} step={step} index={i} here={here === i} state={state} tap={tap} />
      ))}
      {/* The last of several rows is not stretched: a bar is as wide in it as in the others. */}
      {entry.steps.length > FIT_ONE_ROW && <span style={{ flex: `${bars / 2} 0 0` }} />}
    </div>
  );
}

interface CellProps extends Pick<Props, "state" | "tap"> {
  step: EntryShown["steps"][number];
  index: number;
  here: boolean;
}

function Cell({ step, index, here, state, tap }: CellProps) {
  const { t } = useTranslation();
  const cut = step.ending.kind === "cut";
  const next = state.coming?.asked && state.coming.step === index;
  const byHand = isByHand(state, state.position.entry, index);
  const ending =
    step.ending.kind === "attacca" ? "" : ` · ${t(`ending.road.${step.ending.kind}`, { times: step.ending.times })}`;
  const edge = here
    ? "outline-2 -outline-offset-2 outline-ink"
    : next
      ? "outline-2 -outline-offset-2 outline-dashed outline-brassline"
      : "";
  return (
    <StageButton
      className={`k${step.colour} relative flex min-h-[57px] min-w-[104px] flex-col justify-between overflow-hidden border-t-4 border-[var(--k)] bg-[var(--kb)] px-[7px] py-[5px] text-left ${cut ? "opacity-40 line-through" : ""} ${edge}`}
      style={{ flex: `${step.bars} 1 104px` }}
      disabled={cut || !can(state, "go_to")}
      title={cut ? undefined : whyNot(state, "go_to")}
      current={here ? "step" : undefined}
      onPress={() => tap(index)}
    >
      <span className="line-clamp-2 text-[14px] leading-[17px] [font-stretch:85%]">
        <span className="sr-only">{t("stage.goTo")} </span>
        <b className="text-[16px] [font-stretch:80%]">{step.mark}</b> {step.name}
      </span>
      <span className="whitespace-nowrap text-[11.5px] text-soft">
        {step.bars}
        {ending}
        {byHand && <Hand size={12} className="ml-1 inline" aria-label={t("stage.byHand")} />}
        {next ? ` · ${t("stage.next")}` : ""}
      </span>
      {here && (
        <span
          className="absolute inset-y-0 w-[3px] bg-ink"
          style={{ left: `${(state.position.counting ? 0 : partOf(step, state.position)) * 100}%` }}
        />
      )}
    </StageButton>
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
