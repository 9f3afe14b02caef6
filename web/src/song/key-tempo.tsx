import type { TFunction } from "i18next";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { RANGES } from "@/generated/core";
import { useEars } from "@/hear/use-ears";
import { FigureField, Labelled } from "@/ui/form";
import { Typed } from "@/ui/typed";

const { min, max } = RANGES.KEY_SEMITONES;
const STEPS = Array.from({ length: max - min + 1 }, (_, i) => max - i);
const WHOLE = 100;
const USUAL = "usual";

const plus = (n: number) => (n > 0 ? `+${n}` : `−${-n}`);

/** A key and tempo against the recording, in few letters; "" as recorded. */
export const keyTempoWords = (semitones: number, percent: number, t: TFunction): string =>
  [semitones ? t("keyTempo.tag", { n: plus(semitones) }) : "", percent === WHOLE ? "" : `${percent} %`]
    .filter(Boolean)
    .join(" · ");

interface Props {
  /** Null for those of the song, where there is a song to follow. */
  semitones: number | null;
  percent: number | null;
  /** What is said where it follows its song. */
  usual?: string;
  setKey: (semitones: number | null) => void;
  setTempo: (typed: string) => void;
}

/** The key in semitones against the recording, and the tempo as it is typed. */
export function KeyTempoFields({ semitones, percent, usual, setKey, setTempo }: Props) {
  const { t } = useTranslation();
  return (
    <div className="grid grid-cols-2 gap-3">
      <Labelled label={t("keyTempo.key")}>
        <select
          className="field"
          value={semitones ?? USUAL}
          onChange={(e) => setKey(e.target.value === USUAL ? null : Number(e.target.value))}
        >
          {usual && <option value={USUAL}>{usual}</option>}
          {STEPS.map((n) => (
            <option key={n} value={n}>
              {n ? t("keyTempo.steps", { n: plus(n), count: Math.abs(n) }) : t("keyTempo.asRecorded")}
            </option>
          ))}
        </select>
      </Labelled>
      <Labelled label={t("keyTempo.tempo")}>
        <Typed
          className="tabular-nums"
          placeholder={usual ?? t("keyTempo.asRecorded")}
          maxLength={12}
          value={percent === null || (!usual && percent === WHOLE) ? "" : `${percent} %`}
          onDone={setTempo}
        />
      </Labelled>
    </div>
  );
}

interface HeardProps {
  song: string;
  form: string;
  bars: number;
  semitones: number;
  percent: number;
}

/** From any bar as it will be played, before it is prepared. */
export function HearSo({ song, form, bars, semitones, percent }: HeardProps) {
  const { t } = useTranslation();
  const ears = useEars();
  const [bar, setBar] = useState(1);
  const hear = () => ears.hear({ song, bar, form, click: true, cues: false, semitones, tempo_percent: percent });
  return (
    <div className="mt-3 flex items-end gap-2">
      <FigureField
        label={t("keyTempo.bar")}
        value={String(bar)}
        onDone={(text) => setBar(Math.min(Math.max(1, Math.round(Number(text)) || 1), Math.max(1, bars)))}
      />
      <button type="button" className="btn" onClick={ears.state === "idle" ? hear : ears.stop}>
        {t(ears.state === "idle" ? "keyTempo.hear" : "keyTempo.stop")}
      </button>
    </div>
  );
}
