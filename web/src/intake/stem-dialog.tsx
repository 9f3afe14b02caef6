import { useTranslation } from "react-i18next";

import { usePlayers } from "@/api/queries";
import type { Song, Stem } from "@/api/types";
import { duration, figure, signed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { Typed } from "@/ui/typed";

import { GROUPS, LENGTHS, PURPOSES, RANGES } from "@/generated/core";
import type { Edit, EditArgs } from "@/api/edits";

const PLAIN = PURPOSES.filter((p) => p !== "covers");

interface Props {
  song: Song;
  stem: Stem;
  edit: Edit;
  onClose: () => void;
}

export function StemDialog({ song, stem, edit, onClose }: Props) {
  const { t } = useTranslation();
  const players = usePlayers();
  const set = (args: Omit<EditArgs<"set_stem">, "stem">) => void edit("set_stem", { stem: stem.id, ...args });
  const m = stem.measured;
  const found = song.findings.list.filter((f) => f.stem === stem.id && f.state === "open");
  const when = stem.purpose === "covers" ? `covers:${stem.covers ?? ""}` : stem.purpose;
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={stem.name}
      about={t("stems.file", {
        file: stem.file_name,
        length: duration(stem.seconds),
        channels: t(stem.channels === 1 ? "stems.mono" : "stems.stereo"),
      })}
    >
      <p className="small mb-3">
        {t("stems.came", { format: m.format, rate: m.sample_rate / 1000 })}
        {m.bit_depth !== null && ` · ${t("stems.bits", { bits: m.bit_depth })}`}
        {m.sound_starts_s !== null &&
          m.sound_ends_s !== null &&
          ` · ${t("stems.sounds", { from: m.sound_starts_s.toFixed(2), to: m.sound_ends_s.toFixed(2) })}`}
        {m.true_peak_dbtp !== null && ` · ${t("stems.peak", { peak: signed(m.true_peak_dbtp) })}`}
        {` · ${t(`stems.end_${m.end}`)}`}
      </p>
      {found.length > 0 && (
        <ul className="mb-3 border-l-4 border-brassline bg-brassbg px-3 py-2">
          {found.map((f) => (
            <li key={f.code}>{f.message}</li>
          ))}
        </ul>
      )}
      <div className="grid grid-cols-2 gap-3">
        <label className="col-span-2 flex flex-col gap-1">
          <span className="small">{t("stems.name")}</span>
          <Typed value={stem.name} maxLength={LENGTHS.STEM_NAME} onDone={(name) => set({ name })} />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("stems.group")}</span>
          <select className="field" value={stem.group} onChange={(e) => set({ group: e.target.value })}>
            {GROUPS.map((g) => (
              <option key={g} value={g}>
                {t(`groups.${g}`)}
              </option>
            ))}
          </select>
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("stems.soundsWhen")}</span>
          <select
            className="field"
            value={when}
            onChange={(e) => {
              const [purpose, player] = e.target.value.split(":");
              set(player ? { covers: player } : { covers: null, purpose });
            }}
          >
            {PLAIN.map((p) => (
              <option key={p} value={p}>
                {t(`purpose.${p}`)}
              </option>
            ))}
            {players.data?.map((p) => (
              <option key={p.id} value={`covers:${p.id}`}>
                {t("purpose.coversName", { name: p.name })}
              </option>
            ))}
          </select>
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("stems.gain")}</span>
          <Typed value={signed(stem.gain_db)} inputMode="decimal" onDone={(text) => set({ gain_db: figure(text) })} />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("stems.delay")}</span>
          <Typed
            value={signed(stem.delay_ms, 2)}
            inputMode="decimal"
            onDone={(text) => set({ delay_ms: figure(text) })}
          />
        </label>
        <label className="col-span-2 flex flex-col gap-1">
          <span className="small">{t("stems.pan")}</span>
          <input
            type="range"
            className="accent-pine"
            min={RANGES.STEM_PAN.min}
            max={RANGES.STEM_PAN.max}
            step={0.05}
            value={stem.pan}
            onChange={(e) => set({ pan: Number(e.target.value) })}
          />
        </label>
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={stem.muted} onChange={(e) => set({ muted: e.target.checked })} />
          {t("stems.muted")}
        </label>
        <label className="flex items-center gap-2">
          <input type="checkbox" checked={stem.invert} onChange={(e) => set({ invert: e.target.checked })} />
          {t("stems.invert")}
        </label>
        {stem.channels === 2 && (
          <>
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={stem.mono} onChange={(e) => set({ mono: e.target.checked })} />
              {t("stems.sum")}
            </label>
            <label className="flex items-center gap-2">
              <input type="checkbox" checked={stem.flip_side} onChange={(e) => set({ flip_side: e.target.checked })} />
              {t("stems.flipSide")}
            </label>
          </>
        )}
        <label className="flex flex-col gap-1">
          <span className="small">{t("stems.startsAt")}</span>
          <Typed
            value={signed(stem.start_s, 2)}
            inputMode="decimal"
            onDone={(text) => set({ start_s: figure(text) })}
          />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("stems.endsAt")}</span>
          <Typed
            value={stem.end_s === null ? "" : signed(stem.end_s ?? 0, 2)}
            placeholder={t("stems.fileEnd")}
            inputMode="decimal"
            onDone={(text) => set({ end_s: text ? figure(text) : null })}
          />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("stems.fadeIn")}</span>
          <Typed
            value={signed(stem.fade_in_s, 2)}
            inputMode="decimal"
            onDone={(text) => set({ fade_in_s: figure(text) })}
          />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("stems.fadeOut")}</span>
          <Typed
            value={signed(stem.fade_out_s, 2)}
            inputMode="decimal"
            onDone={(text) => set({ fade_out_s: figure(text) })}
          />
        </label>
      </div>
      <div className="mt-5 flex justify-between">
        <button
          type="button"
          className="btn bad"
          onClick={() => {
            void edit("remove_stem", { stem: stem.id });
            onClose();
          }}
        >
          {t("stems.remove")}
        </button>
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}
