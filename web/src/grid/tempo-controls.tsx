import { useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Edit } from "@/api/edits";
import type { Grid, Song } from "@/api/types";
import { figure, tempo } from "@/lib/format";
import { FilePicker } from "@/ui/file-picker";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

interface Props {
  song: Song;
  grid: Grid;
  edit: Edit;
  even: number;
  setEven: (even: number) => void;
  take: (how: string, even?: number) => void;
  move: (ms: number) => void;
  beats: (count: number) => void;
  bringMidi: (files: FileList | null) => void;
}

/** Tempo and place of bar 1 by hand, and how the tempo runs through the song. */
export function TempoControls(props: Props) {
  return (
    <div className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-2">
        <TempoByHand song={props.song} edit={props.edit} />
        <span className="w-2" />
        <Bar1ByHand song={props.song} edit={props.edit} move={props.move} beats={props.beats} />
      </div>
      <ThroughTheSong {...props} />
    </div>
  );
}

/** The tempo typed, tapped, halved or doubled. */
function TempoByHand({ song, edit }: Pick<Props, "song" | "edit">) {
  const { t } = useTranslation();
  const first = song.tempo[0];
  const set = (bpm: string) => void edit("set_tempo", { bpm, unit: first?.unit });
  const times = (by: number) => void edit("scale_tempo", { by });
  return (
    <>
      <span className="small">{t("songs.tempo")}</span>
      <Typed
        className="w-[84px]"
        inputMode="decimal"
        aria-label={t("grid.tempo")}
        value={tempo(first?.bpm ?? "")}
        onDone={set}
      />
      <Tap take={set} />
      <button type="button" className="btn" onClick={() => times(0.5)}>
        {t("grid.half")}
      </button>
      <button type="button" className="btn" onClick={() => times(2)}>
        {t("grid.double")}
      </button>
    </>
  );
}

/** A press on every beat; the tempo that was tapped is offered. */
function Tap({ take }: { take: (bpm: string) => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const taps = useRef<number[]>([]);
  const [tapped, setTapped] = useState<{ bpm: number; within: number } | null>(null);
  const tap = () => {
    taps.current = [...taps.current.filter((s) => performance.now() / 1000 - s < 30), performance.now() / 1000];
    if (taps.current.length < 3) return;
    void api<{ bpm: number; within: number }>("songs/tap/", "POST", { seconds: taps.current }).then(
      setTapped,
      complain,
    );
  };
  return (
    <>
      <button type="button" className="btn" onClick={tap}>
        {t("grid.tap")}
      </button>
      {tapped && (
        <button
          type="button"
          className="btn"
          onClick={() => {
            take(tapped.bpm.toFixed(2));
            setTapped(null);
            taps.current = [];
          }}
        >
          {t("grid.takeTapped", { bpm: tapped.bpm.toFixed(2), within: tapped.within.toFixed(2) })}
        </button>
      )}
    </>
  );
}

/** Where bar 1 lies: typed, or by milliseconds and beats. */
function Bar1ByHand({ song, edit, move, beats }: Pick<Props, "song" | "edit" | "move" | "beats">) {
  const { t } = useTranslation();
  return (
    <>
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
    </>
  );
}

/** One tempo, the tempo as it was played, or the tempo map of a MIDI file. */
function ThroughTheSong({ song, grid, even, setEven, take, bringMidi }: Props) {
  const { t } = useTranslation();
  const follows = song.tempo.length > 1;
  return (
    <div className="flex flex-wrap items-center gap-2">
      <span className="small">{t("grid.through")}</span>
      <button
        type="button"
        className="btn"
        aria-pressed={!follows}
        disabled={!grid.proposal}
        onClick={() => take("both")}
      >
        {t("grid.oneTempo")}
      </button>
      <button
        type="button"
        className="btn"
        aria-pressed={follows}
        disabled={!grid.proposal}
        onClick={() => take("follow")}
      >
        {t("grid.follow")}
      </button>
      {follows && <Evenness even={even} setEven={setEven} take={take} />}
      <FilePicker label={t("grid.fromMidi")} accept=".mid,.midi,.smf" onFiles={bringMidi}>
        {t("grid.fromMidi")}
      </FilePicker>
    </div>
  );
}

/** How far the played tempo is evened out within each section. */
function Evenness({ even, setEven, take }: Pick<Props, "even" | "setEven" | "take">) {
  const { t } = useTranslation();
  return (
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
  );
}
