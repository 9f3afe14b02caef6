import { ToggleGroup } from "radix-ui";
import { useTranslation } from "react-i18next";

import { type Playing, type When, WHENS } from "./engine-state";

/** When a tapped section comes, and at which bar that would be now. */
export function WhenChoice({ when, setWhen, state }: { when: When; setWhen: (when: When) => void; state: Playing }) {
  const { t } = useTranslation();
  const bar = state.landings[when];
  const away = bar === undefined ? null : Math.max(0, bar - state.position.bar);
  return (
    <div>
      <p className="mb-1 flex gap-2 text-soft">
        <span id="when-label">{t("stage.whenLabel")}</span>
        <span className="text-ink" data-testid="landing">
          {away === null ? "" : t("stage.landing", { bar, count: away })}
        </span>
      </p>
      <ToggleGroup.Root
        type="single"
        value={when}
        onValueChange={(v) => v && setWhen(v as When)}
        aria-labelledby="when-label"
        className="grid grid-cols-5 gap-[6px]"
      >
        {WHENS.map((w) => (
          <ToggleGroup.Item
            key={w}
            value={w}
            onMouseDown={(e) => e.preventDefault()}
            className="btn min-h-[56px]! px-3 text-[14px] font-semibold!"
          >
            {t(`stage.when.${w}`)}
          </ToggleGroup.Item>
        ))}
      </ToggleGroup.Root>
    </div>
  );
}
