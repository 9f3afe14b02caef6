import { useTranslation } from "react-i18next";

import type { EntryShown } from "@/api/types";
import { RehearsalMark } from "@/ui/mark";

import { followingOf, type Playing } from "./engine-state";
import { BarBeat, Left, titleOf } from "./now";

/** Where we are and what comes, in the largest type, for a screen two metres away. */
export function LargeNow({ entry, entries, state }: { entry: EntryShown; entries: EntryShown[]; state: Playing }) {
  const { t } = useTranslation();
  const { position, coming } = state;
  const step = entry.steps[position.step] ?? entry.steps[0];
  if (!step) return null;
  const next = coming ? entry.steps[coming.step ?? -1] : undefined;
  const chords = entry.chords.find((c) => c.bar === position.bar)?.text;
  return (
    <section
      aria-label={t("stage.now")}
      className={`k${step.colour} flex min-h-0 flex-1 flex-col justify-between gap-2`}
    >
      <p className="text-[30px] text-soft">{titleOf(entry, state, t)}</p>
      <div className="flex min-w-0 items-center gap-8">
        <span className="min-w-[190px] flex-none border-[8px] border-[var(--k)] bg-[var(--kb)] px-3 text-center text-[150px] leading-[180px] font-extrabold text-[var(--k)] [font-stretch:75%]">
          {step.mark}
        </span>
        <span
          className="min-w-0 text-[84px] leading-[88px] font-[650] break-words [font-stretch:75%]"
          data-testid="section"
        >
          {position.counting ? t("stage.countIn") : step.name}
        </span>
      </div>
      <div className="flex flex-wrap items-end gap-x-12">
        <span className="text-[230px] leading-[200px] font-[750] [font-stretch:66%]" data-testid="bar-beat">
          <BarBeat position={position} />
        </span>
        <span className="text-[64px] leading-[70px] font-[650] [font-stretch:80%]">
          <Left state={state} />
          {chords && <b className="block text-brass">{chords}</b>}
        </span>
      </div>
      <div className="flex min-w-0 items-center gap-5 border-t border-line pt-2">
        {next && (
          <RehearsalMark mark={next.mark} colour={next.colour} className="h-[64px]! min-w-[64px]! text-[40px]!" />
        )}
        <span className="min-w-0 text-[54px] leading-[58px] font-[650] break-words [font-stretch:78%]">
          {next?.name ?? (coming ? (followingOf(entries, state)?.title ?? t("stage.end")) : t("stage.nothingNext"))}
        </span>
      </div>
    </section>
  );
}
