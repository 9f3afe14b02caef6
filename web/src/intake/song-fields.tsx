import { LENGTHS } from "@/generated/core";
import { useTranslation } from "react-i18next";

export interface SongFacts {
  title: string;
  bpm: string;
  meter: string;
}

/** What the API takes of a new song: what was left empty is not said. */
export const newSong = ({ title, bpm, meter }: SongFacts) => ({
  title: title.trim(),
  ...(bpm.trim() && { bpm: bpm.trim() }),
  ...(meter.trim() && { meter: meter.trim() }),
});

/** Title, tempo and metre of a song that is about to be made. */
export function SongFields({ facts, change }: { facts: SongFacts; change: (facts: SongFacts) => void }) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap gap-3">
      <label className="flex min-w-[220px] grow flex-col gap-1">
        <span className="small">{t("songs.title")}</span>
        <input
          className="field w-full"
          required
          maxLength={LENGTHS.TITLE}
          value={facts.title}
          onChange={(e) => change({ ...facts, title: e.target.value })}
        />
      </label>
      <label className="flex w-[150px] flex-col gap-1">
        <span className="small">{t("songs.tempoInBpm")}</span>
        <input
          className="field w-full"
          inputMode="decimal"
          placeholder="120"
          value={facts.bpm}
          onChange={(e) => change({ ...facts, bpm: e.target.value })}
        />
      </label>
      <label className="flex w-[90px] flex-col gap-1">
        <span className="small">{t("songs.metre")}</span>
        <input
          className="field w-full"
          placeholder="4/4"
          value={facts.meter}
          onChange={(e) => change({ ...facts, meter: e.target.value })}
        />
      </label>
    </div>
  );
}
