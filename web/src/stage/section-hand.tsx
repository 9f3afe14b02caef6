import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";

import type { Action } from "./actions";
import { isByHand } from "./endings";
import { can, type Playing, whyNot } from "./engine-state";
import { HeldButton, StageButton } from "./stage-button";

interface Props {
  entry: EntryShown;
  state: Playing;
  press: Press;
  held: Action | null;
}

const BUTTON = "btn min-h-[56px]! min-w-0 flex-col! gap-0! px-1! leading-tight";

/** What can be made of the section that plays, here and now (rule J6); and marks, and fading away. */
export function SectionHand({ entry, state, press, held }: Props) {
  const { t } = useTranslation();
  const step = entry.steps[state.position.step];
  const byHand = isByHand(state, state.position.entry, state.position.step);
  const no = { disabled: !can(state, "ending_tonight"), title: whyNot(state, "ending_tonight") };
  const kind = can(state, "ending_tonight") ? step?.ending.kind : undefined;
  return (
    <section aria-labelledby="section-hand">
      <h2 id="section-hand" className="small mb-1 font-semibold!">
        {t("stage.section")}
      </h2>
      <div className="grid grid-cols-2 gap-2">
        <StageButton
          className={BUTTON}
          {...no}
          pressed={kind === "vamp"}
          onPress={() => press("ending_tonight", { ending: "vamp" })}
        >
          {t(kind === "vamp" && byHand ? "stage.vampTakenBack" : "stage.vamp")}
          <small>V</small>
        </StageButton>
        <StageButton className={BUTTON} {...no} onPress={() => press("more", { rounds: 1 })}>
          {t("stage.more")}
          <small>M</small>
        </StageButton>
        <StageButton
          className={BUTTON}
          {...no}
          pressed={kind === "fine"}
          onPress={() => press("ending_tonight", { ending: "fine" })}
        >
          {t(kind === "fine" && byHand ? "stage.endTakenBack" : "stage.endAfter")}
          <small>E</small>
        </StageButton>
        <HeldButton
          className={BUTTON}
          action="fade_away"
          held={held}
          disabled={!can(state, "fade_away")}
          title={whyNot(state, "fade_away")}
          onPress={() => press("fade_away")}
        >
          {t("stage.fadeAway")}
          <small className="block">{t("stage.fadeAwayHold")}</small>
        </HeldButton>
      </div>
    </section>
  );
}
