import { memo } from "react";
import { useTranslation } from "react-i18next";

import type { Song, Stem, Tonight } from "@/api/types";
import { RANGES } from "@/generated/core";
import { signed, typed } from "@/lib/format";
import { silentTonight, standingOf } from "@/song/standing";
import type { Edit } from "@/api/edits";
import { Typed } from "@/ui/typed";
import { HeadRow } from "@/ui/head-row";

interface Props {
  song: Song;
  tonight: Tonight | undefined;
  edit: Edit;
  solo: string[];
  mute: string[];
  toggle: (which: "solo" | "mute", stem: string) => void;
}

/** Gain, side, width, mono and polarity of every stem; alone or silent while listening. */
export function StemLevels({ song, tonight, edit, solo, mute, toggle }: Props) {
  const { t } = useTranslation();
  return (
    <table className="w-full border-collapse [&_td]:border-t [&_td]:border-line2 [&_td]:px-1.5 [&_td]:py-[3px] [&_th]:px-1.5 [&_th]:pb-1 [&_th]:text-left [&_th]:text-[11.5px] [&_th]:font-[600] [&_th]:text-soft">
      <caption className="sr-only">{t("levels.stems")}</caption>
      <HeadRow
        titles={(["stem", "listen", "gain", "pan", "width", "mono", "polarity", "loud"] as const).map((c) =>
          t(`levels.col_${c}`),
        )}
      />
      <tbody>
        {song.stems.map((stem) => (
          <Row
            key={stem.id}
            stem={stem}
            standing={standingOf(stem, tonight, t)}
            quiet={silentTonight(stem, tonight)}
            edit={edit}
            alone={solo.includes(stem.id)}
            silent={mute.includes(stem.id)}
            toggle={toggle}
          />
        ))}
      </tbody>
    </table>
  );
}

interface RowProps {
  stem: Stem;
  standing: string;
  quiet: boolean;
  edit: Edit;
  alone: boolean;
  silent: boolean;
  toggle: (which: "solo" | "mute", stem: string) => void;
}

const Row = memo(function Row({ stem, standing, quiet, edit, alone, silent, toggle }: RowProps) {
  const { t } = useTranslation();
  const set = (change: Record<string, unknown>) => edit("set_stem", { stem: stem.id, ...change });
  return (
    <tr className={quiet ? "text-soft" : ""}>
      <td className="max-w-[190px]">
        <span className="block truncate font-[600]">{stem.name}</span>
        <span className="small block truncate">{standing}</span>
      </td>
      <Listening stem={stem} alone={alone} silent={silent} toggle={toggle} />
      <Gain stem={stem} set={set} />
      <PanAndWidth stem={stem} set={set} />
      <MonoAndPolarity stem={stem} set={set} />
      <td className="small whitespace-nowrap">
        {stem.integrated_lufs === null
          ? t("stems.silent")
          : t("stems.lufs", { level: signed(stem.integrated_lufs + (stem.gain_db ?? 0)) })}
      </td>
    </tr>
  );
});

interface PartProps {
  stem: Stem;
  set: (change: Record<string, unknown>) => Promise<boolean>;
}

/** Alone, or silent, while one listens here. */
function Listening({ stem, alone, silent, toggle }: Pick<RowProps, "stem" | "alone" | "silent" | "toggle">) {
  const { t } = useTranslation();
  const named = (what: string) => t("levels.of", { what, name: stem.name });

  return (
    <>
      <td className="whitespace-nowrap">
        <button
          type="button"
          className="btn"
          aria-pressed={alone}
          aria-label={named(t("levels.alone"))}
          onClick={() => toggle("solo", stem.id)}
        >
          {t("levels.alone")}
        </button>{" "}
        <button
          type="button"
          className="btn"
          aria-pressed={silent}
          aria-label={named(t("levels.silent"))}
          onClick={() => toggle("mute", stem.id)}
        >
          {t("levels.silent")}
        </button>
      </td>
    </>
  );
}

/** The level, drawn or typed. */
function Gain({ stem, set }: PartProps) {
  const { t } = useTranslation();
  const named = (what: string) => t("levels.of", { what, name: stem.name });

  return (
    <>
      <td className="whitespace-nowrap">
        <Slider
          key={`g${stem.gain_db}`}
          label={named(t("levels.col_gain"))}
          min={-40}
          max={12}
          step={0.5}
          value={stem.gain_db}
          onDone={(gain_db) => set({ gain_db })}
        />{" "}
        <Typed
          className="w-[58px]"
          inputMode="decimal"
          aria-label={named(t("levels.gainTyped"))}
          value={signed(stem.gain_db, 1, true)}
          onDone={(text) => set({ gain_db: Number(typed(text).replace("+", "")) })}
        />
      </td>
    </>
  );
}

/** The side, and how wide a stereo stem is. */
function PanAndWidth({ stem, set }: PartProps) {
  const { t } = useTranslation();
  const named = (what: string) => t("levels.of", { what, name: stem.name });
  const stereo = stem.channels === 2;
  return (
    <>
      <td>
        <Slider
          key={`p${stem.pan}`}
          label={named(t("levels.col_pan"))}
          min={RANGES.STEM_PAN.min}
          max={RANGES.STEM_PAN.max}
          step={0.05}
          value={stem.pan}
          text={side(stem.pan, t("levels.left"), t("levels.right"), t("levels.middle"))}
          onDone={(pan) => set({ pan })}
        />
      </td>
      <td>
        {stereo && (
          <Slider
            key={`w${stem.width}`}
            label={named(t("levels.col_width"))}
            min={RANGES.STEM_WIDTH.min}
            max={RANGES.STEM_WIDTH.max}
            step={0.05}
            value={stem.mono ? 0 : (stem.width ?? 1)}
            text={`${Math.round(100 * (stem.width ?? 1))} %`}
            onDone={(width) => set({ width, mono: false })}
          />
        )}
      </td>
    </>
  );
}

/** Both channels as one, and polarity. */
function MonoAndPolarity({ stem, set }: PartProps) {
  const { t } = useTranslation();
  const named = (what: string) => t("levels.of", { what, name: stem.name });
  const stereo = stem.channels === 2;
  return (
    <>
      <td>
        {stereo && (
          <input
            type="checkbox"
            checked={stem.mono ?? false}
            aria-label={named(t("levels.col_mono"))}
            onChange={(e) => set({ mono: e.target.checked })}
          />
        )}
      </td>
      <td>
        <input
          type="checkbox"
          checked={stem.invert ?? false}
          aria-label={named(t("levels.flipped"))}
          onChange={(e) => set({ invert: e.target.checked })}
        />
      </td>
    </>
  );
}

const side = (pan: number, left: string, right: string, middle: string) =>
  Math.abs(pan) < 0.02 ? middle : `${Math.round(100 * Math.abs(pan))} ${pan < 0 ? left : right}`;

interface SliderProps {
  label: string;
  min: number;
  max: number;
  step: number;
  value: number;
  text?: string;
  onDone: (value: number) => void;
}

/** Moves freely; what it was moved to is said once the hand lets go. */
function Slider({ label, min, max, step, value, text, onDone }: SliderProps) {
  const done = (e: { currentTarget: HTMLInputElement }) => {
    const to = Number(e.currentTarget.value);
    if (to !== value) onDone(to);
  };
  return (
    <input
      type="range"
      className="w-[104px] align-middle accent-pine"
      aria-label={label}
      title={text}
      {...(text && { "aria-valuetext": text })}
      min={min}
      max={max}
      step={step}
      defaultValue={value}
      onPointerUp={done}
      onKeyUp={done}
      onBlur={done}
    />
  );
}
