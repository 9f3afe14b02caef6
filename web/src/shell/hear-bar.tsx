import { Flag, Play, Square } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Chart, Song } from "@/api/types";
import { useHeardBar, useHeardBeat } from "@/hear/places";
import type { PageEars } from "@/hear/use-ears";

import { TempoMenu } from "./tempo-menu";

interface Props {
  song: Song;
  chart: Chart | undefined;
  ears: PageEars;
  guides: { click: boolean; cues: boolean };
  setGuides: (guides: { click: boolean; cues: boolean }) => void;
  percent: number;
  setPercent: (percent: number) => void;
  from: number;
  hearFrom: (bar: number) => void;
  /** A section starts where the song is now. */
  startHere?: () => void;
}

/** The foot of a song's page: hear it, with or without click and cues, and where it is. */
export function HearBar(props: Props) {
  const { song, chart, ears, guides, setGuides, from, hearFrom, startHere } = props;
  const { t } = useTranslation();
  const heard = useHeardBar(ears.places);
  const beat = useHeardBeat(ears.places, chart?.bars[heard - 1]?.beats ?? 4);
  const call = heard > 0 && chart?.calls.find((c) => c.bar >= heard);
  const hearing = ears.state !== "idle";
  return (
    <footer className="flex h-[52px] flex-none items-center gap-[14px] border-t border-line bg-sheet px-5">
      <button
        type="button"
        className="btn pri"
        disabled={!chart}
        onClick={() => (hearing ? ears.stop() : hearFrom(from))}
      >
        {hearing ? <Square size={13} aria-hidden /> : <Play size={13} aria-hidden />}
        {hearing ? t("song.stopHearing") : t("song.hear")}
      </button>
      <span className="min-w-[76px] text-[26px] font-bold [font-stretch:70%]" aria-label={t("song.place")}>
        {ears.state === "opening" ? "…" : heard ? `${heard} . ${beat}` : `${from} . 1`}
      </span>
      <span className="small">{t("song.ofBars", { bars: song.bars })}</span>
      {(["click", "cues"] as const).map((guide) => (
        <button
          key={guide}
          type="button"
          className="btn"
          aria-pressed={guides[guide]}
          onClick={() => setGuides({ ...guides, [guide]: !guides[guide] })}
        >
          {t(`song.with_${guide}`)}
        </button>
      ))}
      <TempoMenu song={song} percent={props.percent} set={props.setPercent} />
      {startHere && (
        <button type="button" className="btn" onClick={startHere} disabled={!hearing} title={t("song.startHereAbout")}>
          <Flag size={13} aria-hidden />
          {t("song.startHere")} <kbd className="small">S</kbd>
        </button>
      )}
      <span className="grow" />
      {call && guides.cues && <span className="small">{t("song.speaks", { text: call.text, bar: call.bar })}</span>}
    </footer>
  );
}
