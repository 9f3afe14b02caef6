import { useTranslation } from "react-i18next";

import type { BandEntry, BandState } from "@/api/types";
import { SectionTargets } from "@/stage/section-targets";
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
      <SectionTargets
        steps={entry.steps}
        now={state.step}
        coming={state.coming?.step ?? null}
        onPress={(step) => press?.("go_to", { step })}
      />
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
