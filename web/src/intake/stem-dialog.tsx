import { useTranslation } from "react-i18next";

import type { Edit, EditArgs } from "@/api/edits";
import { usePlayers } from "@/api/queries";
import type { Song, Stem } from "@/api/types";
import { GROUPS, LENGTHS, PURPOSES, RANGES } from "@/generated/core";
import { duration, figure, signed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { DialogFoot, FigureField, Labelled, Tick } from "@/ui/form";
import { Typed } from "@/ui/typed";

import { StemGoes } from "./stem-goes";

const PLAIN = PURPOSES.filter((p) => p !== "covers");

interface Props {
  song: Song;
  stem: Stem;
  edit: Edit;
  onClose: () => void;
}

interface PartProps {
  stem: Stem;
  set: (args: Omit<EditArgs<"set_stem">, "stem">) => void;
}

/** Everything about one stem; each change is saved as it is made. */
export function StemDialog({ song, stem, edit, onClose }: Props) {
  const { t } = useTranslation();
  const set = (args: Omit<EditArgs<"set_stem">, "stem">) => void edit("set_stem", { stem: stem.id, ...args });
  const found = song.findings.list.filter((f) => f.stem === stem.id && f.state === "open");
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
      <Measured stem={stem} />
      {found.length > 0 && (
        <ul className="mb-3 border-l-4 border-brassline bg-brassbg px-3 py-2">
          {found.map((f) => (
            <li key={f.code}>{f.message}</li>
          ))}
        </ul>
      )}
      <div className="grid grid-cols-2 gap-3">
        <Labelled label={t("stems.name")} wide>
          <Typed value={stem.name} maxLength={LENGTHS.STEM_NAME} onDone={(name) => set({ name })} />
        </Labelled>
        <Labelled label={t("stems.group")}>
          <select className="field" value={stem.group} onChange={(e) => set({ group: e.target.value })}>
            {GROUPS.map((g) => (
              <option key={g} value={g}>
                {t(`groups.${g}`)}
              </option>
            ))}
          </select>
        </Labelled>
        <SoundsWhen stem={stem} set={set} />
        <Mixed stem={stem} set={set} />
        <Edges stem={stem} set={set} />
        <StemGoes stem={stem} set={set} />
      </div>
      <DialogFoot
        remove={t("stems.remove")}
        onRemove={() => void edit("remove_stem", { stem: stem.id })}
        onClose={onClose}
      />
    </Dialog>
  );
}

/** What was measured when the file came. */
function Measured({ stem }: { stem: Stem }) {
  const { t } = useTranslation();
  const m = stem.measured;
  return (
    <p className="small mb-3">
      {t("stems.came", { format: m.format, rate: m.sample_rate / 1000 })}
      {m.bit_depth !== null && ` · ${t("stems.bits", { bits: m.bit_depth })}`}
      {m.sound_starts_s !== null &&
        m.sound_ends_s !== null &&
        ` · ${t("stems.sounds", { from: m.sound_starts_s.toFixed(2), to: m.sound_ends_s.toFixed(2) })}`}
      {m.true_peak_dbtp !== null && ` · ${t("stems.peak", { peak: signed(m.true_peak_dbtp) })}`}
      {` · ${t(`stems.end_${m.end}`)}`}
    </p>
  );
}

/** What the stem is for: always, by hand, for rehearsal, or while a player is away. */
function SoundsWhen({ stem, set }: PartProps) {
  const { t } = useTranslation();
  const players = usePlayers();
  const when = stem.purpose === "covers" ? `covers:${stem.covers ?? ""}` : stem.purpose;
  return (
    <Labelled label={t("stems.soundsWhen")}>
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
    </Labelled>
  );
}

/** Gain, delay, side, and what is done to the channels. */
function Mixed({ stem, set }: PartProps) {
  const { t } = useTranslation();
  return (
    <>
      <FigureField
        label={t("stems.gain")}
        value={signed(stem.gain_db)}
        onDone={(text) => set({ gain_db: figure(text) })}
      />
      <FigureField
        label={t("stems.delay")}
        value={signed(stem.delay_ms, 2)}
        onDone={(text) => set({ delay_ms: figure(text) })}
      />
      <Labelled label={t("stems.pan")} wide>
        <input
          type="range"
          className="accent-pine"
          min={RANGES.STEM_PAN.min}
          max={RANGES.STEM_PAN.max}
          step={0.05}
          value={stem.pan}
          onChange={(e) => set({ pan: Number(e.target.value) })}
        />
      </Labelled>
      <Tick label={t("stems.muted")} checked={stem.muted} onChange={(muted) => set({ muted })} />
      <Tick label={t("stems.invert")} checked={stem.invert} onChange={(invert) => set({ invert })} />
      {stem.group !== "rhythm" && (
        <Tick
          label={t("stems.keepsPitch")}
          checked={stem.keeps_pitch ?? false}
          onChange={(keeps_pitch) => set({ keeps_pitch })}
        />
      )}
      {stem.channels === 2 && (
        <>
          <Tick label={t("stems.sum")} checked={stem.mono} onChange={(mono) => set({ mono })} />
          <Tick label={t("stems.flipSide")} checked={stem.flip_side} onChange={(flip_side) => set({ flip_side })} />
        </>
      )}
    </>
  );
}

/** The part of the file that is played, and its fades. */
function Edges({ stem, set }: PartProps) {
  const { t } = useTranslation();
  return (
    <>
      <FigureField
        label={t("stems.startsAt")}
        value={signed(stem.start_s, 2)}
        onDone={(text) => set({ start_s: figure(text) })}
      />
      <FigureField
        label={t("stems.endsAt")}
        value={stem.end_s === null ? "" : signed(stem.end_s ?? 0, 2)}
        placeholder={t("stems.fileEnd")}
        onDone={(text) => set({ end_s: text ? figure(text) : null })}
      />
      <FigureField
        label={t("stems.fadeIn")}
        value={signed(stem.fade_in_s, 2)}
        onDone={(text) => set({ fade_in_s: figure(text) })}
      />
      <FigureField
        label={t("stems.fadeOut")}
        value={signed(stem.fade_out_s, 2)}
        onDone={(text) => set({ fade_out_s: figure(text) })}
      />
    </>
  );
}
