import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Grid, Song } from "@/api/types";
import { tempo, figure } from "@/lib/format";
import type { Edit } from "@/api/edits";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

interface Props {
  song: Song;
  grid: Grid | undefined;
  edit: Edit;
  even: number;
  setEven: (even: number) => void;
  take: (how: string, even?: number) => void;
  move: (ms: number) => void;
  beats: (count: number) => void;
  bringMidi: (files: FileList | null) => void;
}

export function TempoControls({ song, grid, edit, even, setEven, take, move, beats, bringMidi }: Props) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const taps = useRef<number[]>([]);
  const [tapped, setTapped] = useState<{ bpm: number; within: number } | null>(null);
  const midi = useRef<HTMLInputElement>(null);
  const first = song.tempo[0];
  const set = (bpm: string) => void edit("set_tempo", { bpm, unit: first?.unit });
  const tap = () => {
    taps.current = [...taps.current.filter((s) => performance.now() / 1000 - s < 30), performance.now() / 1000];
    if (taps.current.length < 3) return;
    void api<{ bpm: number; within: number }>("songs/tap/", "POST", { seconds: taps.current }).then(
      setTapped,
      complain,
    );
  };
  const times = (by: number) => void edit("scale_tempo", { by });
  const follows = song.tempo.length > 1;
  return (
    <div className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-2">
        <span className="small">{t("songs.tempo")}</span>
        <Typed
          className="w-[84px]"
          inputMode="decimal"
          aria-label={t("grid.tempo")}
          value={tempo(first?.bpm ?? "")}
          onDone={set}
        />
        <button type="button" className="btn" onClick={tap}>
          {t("grid.tap")}
        </button>
        {tapped && (
          <button
            type="button"
            className="btn"
            onClick={() => {
              set(tapped.bpm.toFixed(2));
              setTapped(null);
              taps.current = [];
            }}
          >
            {t("grid.takeTapped", { bpm: tapped.bpm.toFixed(2), within: tapped.within.toFixed(2) })}
          </button>
        )}
        <button type="button" className="btn" onClick={() => times(0.5)}>
          {t("grid.half")}
        </button>
        <button type="button" className="btn" onClick={() => times(2)}>
          {t("grid.double")}
        </button>
        <span className="w-2" />
        <span className="small">{t("grid.bar1")}</span>
        <Typed
          className="w-[84px]"
          inputMode="decimal"
          aria-label={t("song.bar1Seconds")}
          value={Number(song.bar1_s).toFixed(3)}
          onDone={(seconds) => void edit("set_bar1", { seconds: figure(seconds) })}
        />
        {([-1, 1] as const).map((ms) => (
          <button key={ms} type="button" className="btn" onClick={() => move(ms)}>
            {t("grid.byMs", { ms: ms < 0 ? "−1" : "+1" })}
          </button>
        ))}
        {([-1, 1] as const).map((n) => (
          <button key={n} type="button" className="btn" onClick={() => beats(n)}>
            {t("grid.byBeat", { n: n < 0 ? "−1" : "+1" })}
          </button>
        ))}
      </div>
      <div className="flex flex-wrap items-center gap-2">
        <span className="small">{t("grid.through")}</span>
        <button
          type="button"
          className="btn"
          aria-pressed={!follows}
          disabled={!grid?.proposal}
          onClick={() => take("both")}
        >
          {t("grid.oneTempo")}
        </button>
        <button
          type="button"
          className="btn"
          aria-pressed={follows}
          disabled={!grid?.proposal}
          onClick={() => take("follow")}
        >
          {t("grid.follow")}
        </button>
        {follows && (
          <label className="flex items-center gap-2">
            <span className="small">{t("grid.asPlayed")}</span>
            <input
              type="range"
              className="w-[120px] accent-pine"
              min={0}
              max={1}
              step={0.1}
              value={even}
              aria-label={t("grid.even")}
              onChange={(e) => setEven(Number(e.target.value))}
              onPointerUp={() => take("follow", even)}
              onKeyUp={() => take("follow", even)}
            />
            <span className="small">{t("grid.perSection")}</span>
          </label>
        )}
        <input
          ref={midi}
          type="file"
          accept=".mid,.midi,.smf"
          className="sr-only"
          tabIndex={-1}
          aria-label={t("grid.fromMidi")}
          onChange={(e) => {
            bringMidi(e.target.files);
            e.target.value = "";
          }}
        />
        <button type="button" className="btn" onClick={() => midi.current?.click()}>
          {t("grid.fromMidi")}
        </button>
      </div>
    </div>
  );
}
