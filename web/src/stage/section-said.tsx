import { useTranslation } from "react-i18next";

import type { EntryShown } from "@/api/types";
import { SectionWords } from "@/ui/section-words";

/** The words and the note of the present section. */
export function SectionSaid({ step }: { step: EntryShown["steps"][number] | undefined }) {
  const { t } = useTranslation();
  const nothing = !step?.words.trim() && !step?.note.trim();
  return (
    <section
      aria-label={t("stage.words")}
      className="max-h-[120px] overflow-auto border border-line px-3 py-1 text-[15px]"
    >
      {nothing && <p className="small">{t("stage.noWords")}</p>}
      {step?.note && <p className="text-soft">{step.note}</p>}
      {step && <SectionWords words={step.words} />}
    </section>
  );
}
