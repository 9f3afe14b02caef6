import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Entry, EntryChange } from "@/api/types";
import { RANGES } from "@/generated/core";
import { useEars } from "@/hear/use-ears";
import { beatUnit, tempo } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { FigureField, Labelled } from "@/ui/form";
import { Typed } from "@/ui/typed";

import { Preparing } from "./preparing";

interface Props {
  entry: Entry;
  title: string;
  change: (part: Partial<EntryChange>) => void;
  onClose: () => void;
}

const { min, max } = RANGES.KEY_SEMITONES;
const STEPS = Array.from({ length: max - min + 1 }, (_, i) => max - i);
const WHOLE = 100;

/** In what key and tempo a song is played tonight (rule V1): chosen, heard at once, and how far it is prepared. */
export function KeyTempoDialog({ entry, title, change, onClose }: Props) {
  const { t } = useTranslation();
  const moved = Boolean(entry.semitones) || entry.tempo_percent !== WHOLE;
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={t("keyTempo.title")} about={title}>
      <div className="grid grid-cols-2 gap-3">
        <Labelled label={t("keyTempo.key")}>
          <select
            className="field"
            value={entry.semitones ?? 0}
            onChange={(e) => change({ semitones: Number(e.target.value) })}
          >
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
            placeholder={t("keyTempo.asRecorded")}
            maxLength={12}
            value={entry.tempo_percent === WHOLE ? "" : `${entry.tempo_percent} %`}
            onDone={(typed) => change({ tempo: typed })}
          />
        </Labelled>
      </div>
      <Comes entry={entry} />
      <Preparing entry={entry} />
      <Heard entry={entry} />
      <div className="mt-4 flex justify-end gap-2">
        <button type="button" className="btn" disabled={!moved} onClick={() => change({ semitones: 0, tempo: "" })}>
          {t("keyTempo.back")}
        </button>
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}

/** What comes of it, against the recording. */
function Comes({ entry }: { entry: Entry }) {
  const { t } = useTranslation();
  const beat = beatUnit(entry.unit);
  return (
    <>
      <p className="my-3">
        {t("keyTempo.comes", {
          key: entry.key || "–",
          tempo: `${beat} ${tempo(entry.bpm)}`,
          recordedKey: entry.recorded_key || "–",
          recordedTempo: `${beat} ${tempo(entry.recorded_bpm)}`,
        })}
      </p>
      <p className="small mb-3">{t("keyTempo.about")}</p>
    </>
  );
}

const plus = (n: number) => (n > 0 ? `+${n}` : `−${-n}`);

/** From any bar as it will be played, before it is prepared. */
function Heard({ entry }: { entry: Entry }) {
  const { t } = useTranslation();
  const ears = useEars();
  const [bar, setBar] = useState(1);
  const hear = () =>
    ears.hear({
      song: entry.song ?? "",
      bar,
      form: entry.form || "full",
      click: true,
      cues: false,
      semitones: entry.semitones ?? 0,
      tempo_percent: entry.tempo_percent ?? WHOLE,
    });
  return (
    <div className="mt-3 flex items-end gap-2">
      <FigureField
        label={t("keyTempo.bar")}
        value={String(bar)}
        onDone={(text) => setBar(Math.min(Math.max(1, Math.round(Number(text)) || 1), Math.max(1, entry.bars)))}
      />
      <button type="button" className="btn" onClick={ears.state === "idle" ? hear : ears.stop}>
        {t(ears.state === "idle" ? "keyTempo.hear" : "keyTempo.stop")}
      </button>
    </div>
  );
}
