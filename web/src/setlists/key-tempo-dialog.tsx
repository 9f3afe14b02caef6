import { useTranslation } from "react-i18next";

import type { Entry, EntryChange } from "@/api/types";
import { beatUnit, tempo } from "@/lib/format";
import { HearSo, KeyTempoFields } from "@/song/key-tempo";
import { Dialog } from "@/ui/dialog";

import { Preparing } from "./preparing";

interface Props {
  entry: Entry;
  title: string;
  change: (part: Partial<EntryChange>) => void;
  onClose: () => void;
}

/** In what key and tempo a song is played tonight (rule V1): chosen, heard at once, and how far it is prepared. */
export function KeyTempoDialog({ entry, title, change, onClose }: Props) {
  const { t } = useTranslation();
  const [semitones, percent] = [entry.semitones ?? null, entry.tempo_percent ?? null];
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={t("keyTempo.title")} about={title}>
      <KeyTempoFields
        semitones={semitones}
        percent={percent}
        usual={t("keyTempo.asItsSong")}
        setKey={(key) => change({ semitones: key })}
        setTempo={(typed) => change({ tempo: typed })}
      />
      <Comes entry={entry} />
      <Preparing entry={entry} />
      <HearSo
        song={entry.song ?? ""}
        form={entry.form || "full"}
        bars={entry.bars}
        semitones={entry.played_semitones}
        percent={entry.played_percent}
      />
      <div className="mt-4 flex justify-end gap-2">
        <button
          type="button"
          className="btn"
          disabled={semitones === null && percent === null}
          onClick={() => change({ semitones: null, tempo: "" })}
        >
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
