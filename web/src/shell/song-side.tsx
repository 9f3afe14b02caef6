import { useQueryClient } from "@tanstack/react-query";
import { Upload as UploadIcon } from "lucide-react";
import { memo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate } from "react-router";

import { api } from "@/api/client";
import { useTonight } from "@/api/queries";
import type { Song } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { duration, figure, signed, tempo } from "@/lib/format";
import { Confirm } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";
import { TypedArea } from "@/ui/typed-area";

import { meterText } from "@/song/facts";
import { filesIn } from "@/intake/files";
import { StemList } from "@/intake/stem-list";
import { UploadList } from "@/intake/upload-list";
import type { Edit } from "@/api/edits";
import { useFileDrop } from "@/intake/use-file-drop";
import type { Uploads } from "@/intake/use-uploads";

/** Facts and stems, which stay at the side of whatever is being done with the song. */
export const SongSide = memo(function SongSide({
  song,
  band,
  edit,
  uploads,
  lineUp,
}: {
  song: Song;
  band: string;
  edit: Edit;
  uploads: Uploads;
  lineUp: string;
}) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const tonight = useTonight(song, lineUp, lineUp !== "");
  const navigate = useNavigate();
  const client = useQueryClient();
  const drop = useFileDrop(({ files }) => void uploads.add(files));
  const picker = useRef<HTMLInputElement>(null);
  const [deleting, setDeleting] = useState(false);
  const first = song.tempo[0];
  const more = song.tempo.length - 1;
  const metres = song.meters.length - 1;
  const remove = () =>
    void api(`songs/${song.id}/`, "DELETE").then(() => {
      void client.invalidateQueries({ queryKey: ["songs"] });
      void navigate("/songs");
    }, complain);

  return (
    <aside
      aria-label={t("song.side")}
      className={`flex min-h-0 flex-col gap-[14px] overflow-auto border-r border-line px-4 py-[14px] ${drop.className}`}
      {...drop.handlers}
    >
      <div>
        <p className="small">
          <Link to="/songs" className="hover:underline">
            {t("places.songs")}
          </Link>{" "}
          / {band}
        </p>
        <h1 className="sr-only">{song.title}</h1>
        <TypedArea
          rows={1}
          oneLine
          className="plain field-sizing-content w-full resize-none text-[21px] leading-[25px] font-[650]! [font-stretch:88%]"
          aria-label={t("songs.title")}
          value={song.title}
          maxLength={LENGTHS.TITLE}
          onDone={(title) => void edit("set_facts", { title })}
        />
      </div>
      <dl className="grid grid-cols-[78px_minmax(0,1fr)] items-center gap-y-[3px] [&_dt]:text-[11.5px] [&_dt]:text-soft">
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
      </dl>
      <TypedArea
        rows={2}
        maxLength={LENGTHS.NOTE}
        className="plain w-full resize-y"
        aria-label={t("song.note")}
        placeholder={t("song.note")}
        value={song.note ?? ""}
        onDone={(note) => void edit("set_facts", { note })}
      />
      <StemList song={song} edit={edit} tonight={lineUp ? tonight.data : undefined} />
      <UploadList {...uploads} />
      <div className="flex flex-col gap-2">
        <input
          ref={picker}
          type="file"
          multiple
          className="sr-only"
          tabIndex={-1}
          aria-label={t("song.addStems")}
          onChange={(e) => {
            void uploads.add(filesIn(e.target.files).files);
            e.target.value = "";
          }}
        />
        <button type="button" className="btn" onClick={() => picker.current?.click()}>
          <UploadIcon size={14} aria-hidden />
          {t("song.addStems")}
        </button>
        <p className="small text-center">{t("song.orDrop")}</p>
        <button type="button" className="btn bare mt-3 self-start text-clay" onClick={() => setDeleting(true)}>
          {t("song.delete")}
        </button>
      </div>
      <Confirm
        open={deleting}
        onOpenChange={setDeleting}
        title={t("song.deleteTitle", { title: song.title })}
        about={t("song.deleteAbout")}
        yes={t("song.delete")}
        onYes={remove}
      />
    </aside>
  );
});
