import { useTranslation } from "react-i18next";

import { RANGES } from "@/generated/core";
import { figure, signed } from "@/lib/format";
import { FigureField } from "@/ui/form";

/** The tone of a stem or a feed; what is left out is as it is. */
export interface Tone {
  low_cut_hz?: number | null;
  low_db?: number;
  mid_db?: number;
  mid_hz?: number;
  high_db?: number;
  high_cut_hz?: number | null;
}

/** Each figure of a tone; an empty cut is none. */
export function ToneFigures({ tone, set }: { tone: Tone; set: (part: Tone) => void }) {
  const { t } = useTranslation();
  const cut = (text: string) => (text.trim() ? figure(text) : null);
  const hz = (value: number | null | undefined) => (value === null || value === undefined ? "" : String(value));
  return (
    <div className="mt-2 grid grid-cols-3 gap-2">
      <FigureField
        label={t("tone.lowCut")}
        value={hz(tone.low_cut_hz)}
        placeholder={t("tone.off")}
        onDone={(text) => set({ low_cut_hz: cut(text) })}
      />
      <FigureField
        label={t("tone.low")}
        value={signed(tone.low_db ?? 0)}
        onDone={(text) => set({ low_db: figure(text) })}
      />
      <FigureField
        label={t("tone.mid")}
        value={signed(tone.mid_db ?? 0)}
        onDone={(text) => set({ mid_db: figure(text) })}
      />
      <FigureField
        label={t("tone.midAt")}
        value={hz(tone.mid_hz)}
        onDone={(text) => set({ mid_hz: figure(text) || RANGES.MID_HZ.min })}
      />
      <FigureField
        label={t("tone.high")}
        value={signed(tone.high_db ?? 0)}
        onDone={(text) => set({ high_db: figure(text) })}
      />
      <FigureField
        label={t("tone.highCut")}
        value={hz(tone.high_cut_hz)}
        placeholder={t("tone.off")}
        onDone={(text) => set({ high_cut_hz: cut(text) })}
      />
    </div>
  );
}
