import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";
import { RehearsalMark } from "@/ui/mark";

import { can, followingOf, type Playing, type When, whyNot } from "./engine-state";
import { StageButton } from "./stage-button";
import type { Said } from "./use-stage";

interface Props {
  entry: EntryShown;
  entries: EntryShown[];
  state: Playing;
  said: Said | null;
  when: When;
  press: Press;
}

/** What comes after this, where, and what came of the last press. */
export function NextUp({ entry, entries, state, said, when, press }: Props) {
  const { t } = useTranslation();
  const step = state.coming?.step !== null && state.coming ? entry.steps[state.coming.step ?? -1] : undefined;
  const asked = state.coming?.asked;
  const following = followingOf(entries, state);
  return (
    <section
      aria-label={t("stage.nextUp")}
      className={`grid min-h-[66px] grid-cols-[auto_minmax(0,1fr)_auto] items-center gap-x-3 border bg-sheet px-[14px] py-2 ${asked ? "border-2 border-dashed border-brassline" : "border-line"}`}
    >
      {step ? (
        <RehearsalMark mark={step.mark} colour={step.colour} className="h-[40px]! min-w-[40px]! text-[24px]!" />
      ) : (
        <span />
      )}
      <div className="min-w-0">
        <p className="leading-tight break-words">
          <span className="text-[20px] font-[650]">
            {step ? step.name : state.coming ? (following ? following.title : t("stage.end")) : t("stage.nothingNext")}
          </span>{" "}
          <span className="text-[14px] text-soft">
            {state.coming
              ? t(step ? (asked ? `stage.asked.${asked}` : "stage.comesAt") : "stage.endsAt", { bar: state.coming.bar })
              : ""}
            {state.coming?.call && ` · ${t("stage.called", { words: state.coming.call })}`}
          </span>
        </p>
        <p
          role="status"
          aria-live="polite"
          className={`min-h-[18px] truncate ${said?.bad ? "text-clay" : "text-soft"}`}
        >
          {said ? said.text || t("stage.notSent") : ""}
        </p>
      </div>
      <Hands state={state} when={when} press={press} />
    </section>
  );
}

/** Choosing the section before or after the one that comes, and taking back what was asked for. */
function Hands({ state, when, press }: Pick<Props, "state" | "when" | "press">) {
  const { t } = useTranslation();
  return (
    <div className="flex gap-2">
      {([-1, 1] as const).map((by) => (
        <StageButton
          key={by}
          className="btn min-h-[56px]! w-[48px]"
          label={t(by < 0 ? "stage.chooseBack" : "stage.chooseForth")}
          disabled={!can(state, "choose")}
          title={whyNot(state, "choose")}
          onPress={() => press("choose", { by, when })}
        >
          {by < 0 ? "←" : "→"}
        </StageButton>
      ))}
      <StageButton
        className="btn min-h-[56px]! px-4"
        disabled={!can(state, "take_back")}
        title={whyNot(state, "take_back")}
        onPress={() => press("take_back")}
      >
        {t("stage.takeBack")}
      </StageButton>
    </div>
  );
}
