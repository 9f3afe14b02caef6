import type { TFunction } from "i18next";
import { useTranslation } from "react-i18next";

import type { EntryShown } from "@/api/types";
import { beatUnit, duration, grouping, tempo } from "@/lib/format";

import { BeatDot } from "./beat-dot";
import type { Playing } from "./engine-state";

/** Where we are: section, bar and beat, and how far it is to the end of the step. */
export function Now({ entry, state }: { entry: EntryShown; state: Playing }) {
  const { t } = useTranslation();
  const { position, status } = state;
  const quiet = status !== "playing" && status !== "count_in";
  const step =
    entry.steps[
      quiet && status !== "stopped" ? (entry.steps.find((s) => s.ending.kind !== "cut")?.step ?? 0) : position.step
    ] ?? entry.steps[0];
  if (!step) return null;
  const parts = grouping(step.grouping);
  const facts = [
    step.meter + (parts && step.meter.endsWith("8") && step.meter !== "6/8" ? ` (${parts})` : ""),
    step.ending.kind === "vamp" && !quiet ? t("stage.vampRound", { round: position.round }) : "",
    step.ending.kind === "repeat" && !quiet
      ? t("stage.repeatRound", { round: position.round, times: step.ending.times })
      : "",
  ].filter(Boolean);
  return (
    <section
      aria-label={t("stage.now")}
      className={`k${step.colour} grid grid-cols-[104px_minmax(0,1fr)_136px] gap-[18px] min-[1180px]:grid-cols-[132px_minmax(0,1fr)_190px]`}
    >
      <div className="min-w-0 self-start overflow-hidden border-[5px] border-[var(--k)] bg-[var(--kb)] text-center text-[98px] font-extrabold leading-[126px] text-[var(--k)] [font-stretch:75%]">
        {step.mark}
      </div>
      <div className="min-w-0">
        <p className="text-[15px] text-soft">
          {titleOf(entry, state, t)}
          {!quiet && ` · ${t("stage.elapsed", { time: duration(state.elapsed_s), all: duration(entry.seconds) })}`}
        </p>
        <p
          className={`font-[650] break-words [font-stretch:78%] ${step.name.length > 22 ? "text-[30px] leading-[32px]" : "text-[44px] leading-[48px]"}`}
          data-testid="section"
        >
          {position.counting ? t("stage.countIn") : step.name}
        </p>
        <p className="mt-1 text-[15px] text-soft">
          {[`${beatUnit(entry.unit)} = ${tempo(entry.bpm)}`, ...facts].join(" · ")}
        </p>
        <Place state={state} quiet={quiet} vamp={step.ending.kind === "vamp"} />
      </div>
      <BeatDot
        beats={position.beats ?? Math.max(1, step.grouping.length || Number(step.meter.split("/")[0]))}
        beat={position.beat}
        phase={position.phase}
        quiet={quiet}
      />
    </section>
  );
}

/** Where we are, on one line. */
export function Here({ entry, state }: { entry: EntryShown; state: Playing }) {
  const { t } = useTranslation();
  const { position } = state;
  const step = entry.steps[position.step] ?? entry.steps[0];
  if (!step) return null;
  return (
    <section aria-label={t("stage.now")} className={`k${step.colour} flex min-w-0 items-center gap-[14px]`}>
      <span className="min-w-[56px] flex-none border-[3px] border-[var(--k)] bg-[var(--kb)] px-1 text-center text-[34px] leading-[50px] font-extrabold text-[var(--k)] [font-stretch:75%]">
        {step.mark}
      </span>
      <span className="min-w-0">
        <small className="small block truncate">{titleOf(entry, state, t)}</small>
        <b className="block text-[27px] leading-[30px] font-[650] break-words [font-stretch:78%]" data-testid="section">
          {position.counting ? t("stage.countIn") : step.name}
        </b>
      </span>
      <span className="flex-none text-[44px] leading-[44px] font-[750] [font-stretch:66%]" data-testid="bar-beat">
        <BarBeat position={position} />
      </span>
    </section>
  );
}

/** Bar and beat; the bars of a count-in count towards bar 1, so that the last of them is −1. */
export function BarBeat({ position: { bar, beat } }: { position: Playing["position"] }) {
  return (
    <>
      {bar > 0 ? bar : `−${1 - bar}`}
      <span className="text-soft">.</span>
      {beat}
    </>
  );
}

export function titleOf(entry: EntryShown, { status, pad }: Playing, t: TFunction): string {
  return status === "standby"
    ? t(pad ? "stage.standsByOnPad" : "stage.standsBy", { title: entry.title })
    : status === "stopped"
      ? t("stage.stoppedIn", { title: entry.title })
      : status === "finished"
        ? t("stage.over")
        : entry.title;
}

/** How much is left of the step, in bars and beats; nothing while nothing plays. */
export function Left({ state }: { state: Playing }) {
  const { t } = useTranslation();
  const { position, coming, status } = state;
  if (!coming || position.counting || (status !== "playing" && status !== "count_in")) return null;
  // The beat that sounds is still to be played.
  const beats = position.beats - position.beat + 1;
  const whole = beats === position.beats;
  const bars = Math.max(0, coming.bar - position.bar - (whole ? 0 : 1));
  const words = [
    bars || whole ? t("stage.barsLeft", { count: bars }) : "",
    whole ? "" : t("stage.beatsLeft", { count: beats }),
  ];
  return <>{words.filter(Boolean).join(" ")}</>;
}

/** Bar and beat, and how much is left of the step. */
function Place({ state, quiet, vamp }: { state: Playing; quiet: boolean; vamp: boolean }) {
  const { t } = useTranslation();
  const { position } = state;
  return (
    <div className="mt-1 flex items-end gap-[14px]">
      <span className="text-[78px] font-[750] leading-[76px] [font-stretch:66%]" data-testid="bar-beat">
        <BarBeat position={position} />
      </span>
      {state.coming && !position.counting && !quiet && (
        <span className="pb-2 text-[15px] text-soft">
          <b className="text-[24px] text-ink">
            <Left state={state} />
          </b>
          <br />
          {t(vamp && !state.coming.asked ? "stage.toRepeat" : "stage.toNext")}
        </span>
      )}
    </div>
  );
}
