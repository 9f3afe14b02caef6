import { useTranslation } from "react-i18next";

import { Choices } from "./choices";
import { type Playing, type When, WHENS } from "./engine-state";

/** When a tapped section comes, and at which bar that would be now. */
export function WhenChoice({ when, setWhen, state }: { when: When; setWhen: (when: When) => void; state: Playing }) {
  const { t } = useTranslation();
  const bar = state.landings[when];
  const away = bar === undefined ? null : Math.max(0, bar - state.position.bar);
  return (
    <div className="flex-none pb-2">
      <p className="mb-1 flex gap-2 text-soft">
        <span id="when-label">{t("stage.whenLabel")}</span>
        <span className="text-ink" data-testid="landing">
          {away === null ? "" : t("stage.landing", { bar, count: away })}
        </span>
      </p>
      <Choices labelledBy="when-label" value={when} set={setWhen} className="grid grid-cols-5">
        {WHENS.map((w) => ({ value: w, words: t(`stage.when.${w}`) }))}
      </Choices>
    </div>
  );
}
