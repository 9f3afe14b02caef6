import { useTranslation } from "react-i18next";

import type { BandEntry, BandState } from "@/api/types";
import { StageButton } from "@/stage/stage-button";

import type { BandLine } from "./band-line";

interface Props {
  entry: BandEntry;
  state: BandState;
  press: BandLine["press"] | undefined;
  said: string;
}

/** The sections of the form as large targets, for whoever may choose them. */
export function Sections({ entry, state, press, said }: Props) {
  const { t } = useTranslation();
  return (
    <div>
      <div
        role="group"
        aria-label={t("stage.road")}
        className="grid grid-cols-[repeat(auto-fill,minmax(104px,1fr))] gap-2"
      >
        {entry.steps.map((step) => (
          <StageButton
            key={step.step}
            className={`k${step.colour} min-h-[56px] border-2 border-[var(--k)] bg-[var(--kb)] px-2 py-1 text-left text-[var(--k)] ${state.coming?.step === step.step ? "outline-[3px] outline-brassline" : ""}`}
            {...(state.step === step.step && { current: "step" as const })}
            onPress={() => press?.("go_to", { step: step.step })}
          >
            <b className="text-[20px] [font-stretch:75%]">{step.mark}</b> {step.name}
          </StageButton>
        ))}
      </div>
      <div className="mt-2 grid grid-cols-3 gap-2">
        <StageButton className="btn min-h-[56px]!" onPress={() => press?.("once_more")}>
          {t("stage.onceMore")}
        </StageButton>
        <StageButton className="btn min-h-[56px]!" onPress={() => press?.("release")}>
          {t("stage.release")}
        </StageButton>
        <StageButton className="btn min-h-[56px]!" onPress={() => press?.("take_back")}>
          {t("hands.press.take_back")}
        </StageButton>
      </div>
      <p role="status" className="min-h-[24px] pt-1">
        {said}
      </p>
    </div>
  );
}
