import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { Described } from "@/api/types";

import { StageButton } from "../stage-button";

/** The words that can be said on the spot (rule Q7). */
export function SayNow({ show, press }: { show: Described; press: Press }) {
  const { t } = useTranslation();
  if (!show.palette.length) return null;
  return (
    <section aria-labelledby="say-now">
      <h2 id="say-now" className="small mb-1 font-semibold!">
        {t("stage.say.title")}
      </h2>
      <div className="grid grid-cols-3 gap-[6px]">
        {show.palette.map((word) => (
          <StageButton
            key={word}
            className="btn min-h-[56px]! min-w-0 px-[2px]! text-[14px] leading-tight break-words"
            label={t("stage.say.word", { word })}
            onPress={() => press("say", { word })}
          >
            {word}
          </StageButton>
        ))}
      </div>
    </section>
  );
}
