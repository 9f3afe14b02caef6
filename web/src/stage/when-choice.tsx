import { ToggleGroup } from "radix-ui";
import { useTranslation } from "react-i18next";

import { type Playing, type When, WHENS } from "./engine-state";

/** When a tapped section comes, and at which bar that would be now. */
export function WhenChoice({ when, setWhen, state }: { when: When; setWhen: (when: When) => void; state: Playing }) {
  const { t } = useTranslation();
  const bar = state.landings[when];
  const away = bar === undefined ? null : Math.max(0, bar - state.position.bar);
  return (
    <div className="flex flex-wrap items-center gap-[6px]">
      <span className="text-soft" id="when-label">
        {t("stage.whenLabel")}
      </span>
      <ToggleGroup.Root type="single" value={when} onValueChange={(v) => v && setWhen(v as When)} aria-labelledby="when-label" className="flex flex-wrap gap-[6px]">
        {WHENS.map((w) => (
          <ToggleGroup.Item key={w} value={w} className="btn min-h-[56px]! px-3 text-[14px] font-semibold!">
            {t(`stage.when.${w}`)}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
      <span className="text-soft" data-testid="landing">
        {away === null ? "" : t("stage.landing", { bar, count: away })}
      </span>
    </div>
  );
}
