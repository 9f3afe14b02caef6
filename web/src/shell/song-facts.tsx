import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { Edit } from "@/api/edits";
import type { Song } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { duration, figure, signed, tempo } from "@/lib/format";
import { meterText } from "@/song/facts";
import { Typed } from "@/ui/typed";

import { Played } from "./played";

interface Props {
  song: Song;
  edit: Edit;
}

/** Tempo, metre, key, place of bar 1, pickup, length, level and count-in: each typed where it stands. */
export function SongFacts({ song, edit }: Props) {
  return (
    <dl className="grid grid-cols-[78px_minmax(0,1fr)] items-center gap-y-[3px] [&_dt]:text-[11.5px] [&_dt]:text-soft">
      <Tempo song={song} edit={edit} />
      <MetreAndKey song={song} edit={edit} />
      <Played song={song} edit={edit} />
      <Place song={song} edit={edit} />
      <Length song={song} edit={edit} />
      <CountIn song={song} />
    </dl>
  );
}

/** The first tempo and its beat; how many changes follow. */
function Tempo({ song, edit }: Props) {
  const { t } = useTranslation();
  const first = song.tempo[0];
  const more = song.tempo.length - 1;
  return (
    <>
      <dt>{t("songs.tempo")}</dt>
      <dd className="flex flex-wrap items-center gap-1">
        <select
          className="field plain w-[44px]! text-center"
          aria-label={t("song.beatUnit")}
          value={first?.unit ?? "1"}
          onChange={(e) => void edit("set_tempo", { bpm: first?.bpm, unit: e.target.value })}
        >
          <option value="1">♩</option>
          <option value="3/2">♩.</option>
          <option value="1/2">♪</option>
        </select>
        =
        <Typed
          className="plain w-[62px]"
          inputMode="decimal"
          aria-label={t("songs.tempoInBpm")}
          value={tempo(first?.bpm ?? "")}
          onDone={(bpm) => edit("set_tempo", { bpm, unit: first?.unit })}
        />
        {more > 0 && <span className="tag whitespace-nowrap">{t("song.changes", { count: more })}</span>}
      </dd>
    </>
  );
}

/** The first metre and how many changes follow; the key. */
function MetreAndKey({ song, edit }: Props) {
  const { t } = useTranslation();
  const metres = song.meters.length - 1;
  return (
    <>
      <dt>{t("songs.metre")}</dt>
      <dd className="flex items-center gap-1">
        <Typed
          className="plain w-[78px]"
          aria-label={t("songs.metre")}
          value={meterText(song.meters[0])}
          onDone={(text) => edit("set_meter", { meter: text })}
        />
        {metres > 0 && <span className="tag whitespace-nowrap">{t("song.changes", { count: metres })}</span>}
      </dd>
      <dt>{t("songs.key")}</dt>
      <dd>
        <Typed
          className="plain w-[92px]"
          aria-label={t("songs.key")}
          placeholder="–"
          value={song.key}
          maxLength={LENGTHS.KEY}
          onDone={(key) => edit("set_facts", { key })}
        />
      </dd>
    </>
  );
}

/** Where bar 1 lies in the files, and what is played before it. */
function Place({ song, edit }: Props) {
  const { t } = useTranslation();
  return (
    <>
      <dt>{t("song.bar1")}</dt>
      <dd className="flex items-center">
        <Typed
          className="plain w-[58px]"
          inputMode="decimal"
          aria-label={t("song.bar1Seconds")}
          value={Number(song.bar1_s).toFixed(3)}
          onDone={(seconds) => edit("set_bar1", { seconds: figure(seconds) })}
        />
        s
        {([-1, 1] as const).map((ms) => (
          <button
            key={ms}
            type="button"
            className="btn bare"
            onClick={() => void edit("set_bar1", { by_ms: ms })}
            aria-label={t(ms < 0 ? "song.earlier" : "song.later")}
          >
            {ms < 0 ? "−1" : "+1"}
          </button>
        ))}
      </dd>
      <dt>{t("song.pickup")}</dt>
      <dd>
        <Typed
          className="plain w-[34px]"
          aria-label={t("song.pickupQuarters")}
          value={song.pickup}
          onDone={(pickup) => edit("set_facts", { pickup: pickup || "0" })}
        />{" "}
        {t("song.quarters")}
      </dd>
    </>
  );
}

/** Duration and bars, and how loud all stems are together. */
function Length({ song, edit }: Props) {
  const { t } = useTranslation();
  return (
    <>
      <dt>{t("songs.length")}</dt>
      <dd className="flex items-center gap-1 font-semibold">
        {duration(song.seconds)} ·
        <Typed
          className="plain w-[38px] font-semibold!"
          inputMode="numeric"
          aria-label={t("song.bars")}
          value={String(song.bars)}
          onDone={(bars) => edit("set_length", { bars: figure(bars) })}
        />
        {t("song.barsShort")}
      </dd>
      {song.together?.integrated_lufs != null && (
        <>
          <dt>{t("song.together")}</dt>
          <dd title={t("song.togetherAbout")}>
            {t("song.togetherFigures", {
              lufs: signed(song.together.integrated_lufs),
              peak: signed(song.together.true_peak_dbtp ?? -99),
            })}
          </dd>
        </>
      )}
    </>
  );
}

/** How the song is counted in, and the way to where that is set. */
function CountIn({ song }: { song: Song }) {
  const { t } = useTranslation();
  return (
    <>
      <dt>{t("song.countIn")}</dt>
      <dd>
        <Link
          to={`/songs/${song.id}/click`}
          className="btn bare -ml-1.5 text-left! whitespace-normal! underline decoration-line decoration-2 underline-offset-4"
        >
          {song.count_in_bars === 0
            ? t("song.noCountIn")
            : `${t(song.count_in_aloud ? "song.countedAloud" : song.count_in_sticks ? "song.sticksOnly" : "song.clickOnly", { count: song.count_in_bars })}${song.count_in_aloud && song.count_in_sticks ? t("song.onSticks") : ""}`}
        </Link>
      </dd>
    </>
  );
}
