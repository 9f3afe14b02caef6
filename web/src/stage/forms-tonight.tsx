import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";
import { duration } from "@/lib/format";

import type { Playing } from "./engine-state";
import { StageButton } from "./stage-button";

const SHOWN = 2;

interface Props {
  entries: EntryShown[];
  state: Playing;
  press: Press;
}

/** The shorter forms of songs to come that save most, each to be taken by a press; and those that were taken. */
export function FormsTonight({ entries, state, press }: Props) {
  const { t } = useTranslation();
  const { order } = state.tonight;
  const best = [...state.shorter].sort((a, b) => b.saves_s - a.saves_s).slice(0, SHOWN);
  const taken = order.filter(
    (i) => entries[i]?.of != null && entries[i]?.percent === 100 && !state.tonight.played.includes(i),
  );
  if (!best.length && !taken.length) return null;
  const number = (index: number) => order.indexOf(index) + 1;
  return (
    <section
      aria-label={t("stage.forms.title")}
      className="mt-2 flex flex-col gap-1 border-t border-line px-[14px] pt-2"
    >
      {best.map((one) => (
        <StageButton
          key={one.instead}
          className="btn min-h-[56px]! text-left leading-tight whitespace-normal!"
          onPress={() => press("take_form", { entry: one.instead })}
        >
          {t("stage.forms.saves", {
            form: one.form,
            number: number(one.entry),
            title: entries[one.entry]?.title,
            time: duration(one.saves_s),
          })}
        </StageButton>
      ))}
      {taken.map((index) => (
        <StageButton
          key={index}
          className="btn min-h-[56px]! text-left leading-tight whitespace-normal!"
          pressed
          onPress={() => press("take_form", { entry: entries[index]?.of ?? index })}
        >
          {t("stage.forms.back", { form: entries[index]?.form, number: number(index), title: entries[index]?.title })}
        </StageButton>
      ))}
    </section>
  );
}
