import { useTranslation } from "react-i18next";

import { StageButton } from "./stage-button";

interface Props {
  steps: { step: number; name: string; mark: string; colour: number }[];
  now: number;
  coming: number | null;
  disabled?: boolean;
  onPress: (step: number) => void;
}

/** The sections of the form, as large as a thumb. */
export function SectionTargets({ steps, now, coming, disabled = false, onPress }: Props) {
  const { t } = useTranslation();
  return (
    <div
      role="group"
      aria-label={t("stage.road")}
      className="grid grid-cols-[repeat(auto-fill,minmax(120px,1fr))] gap-2"
    >
      {steps.map(({ step, name, mark, colour }) => (
        <StageButton
          key={step}
          className={`k${colour} min-h-[60px] border-2 border-[var(--k)] bg-[var(--kb)] px-2 py-1 text-left text-[var(--k)] ${coming === step ? "outline-[3px] outline-brassline" : ""}`}
          {...(now === step && { current: "step" as const })}
          disabled={disabled}
          onPress={() => onPress(step)}
        >
          <b className="text-[21px] [font-stretch:75%]">{mark}</b> {name}
        </StageButton>
      ))}
    </div>
  );
}
