import { Flag } from "lucide-react";
import { memo } from "react";
import { useTranslation } from "react-i18next";

import type { Places } from "@/hear/places";
import { sign } from "@/lib/chords";

import { Playhead } from "./playhead";
import { LOOKS, type Zoom } from "./zoom";

interface Props {
  bar: number;
  meter: string;
  beats: number;
  sound: number[];
  section: string;
  chords: string;
  mark: string | undefined;
  call: string | undefined;
  /** It was marked in rehearsal. */
  flag: boolean;
  zoom: Zoom;
  /** First of its row. */
  leads: boolean;
  opens: boolean;
  closes: "" | "repeat" | "fine";
  chosen: boolean;
  focusable: boolean;
  start: (bar: number) => void;
  extend: (bar: number) => void;
  /** Where the song is, in the bar being heard. */
  places: Places | null;
}

const TALL = 100;
const outlines = new WeakMap<number[], string>();

/** The outline of a bar's sound in a square of 100; worked out once for as long as the sound is the same. */
function outline(sound: number[]): string {
  const known = outlines.get(sound) ?? drawn(sound);
  outlines.set(sound, known);
  return known;
}

function drawn(sound: number[]): string {
  const step = 100 / Math.max(1, sound.length);
  const points = sound.map(
    (level, i) => `L${((i + 0.5) * step).toFixed(1)} ${(TALL - (TALL - 4) * level ** 0.6).toFixed(1)}`,
  );
  return `M0 ${TALL} ${points.join(" ")} L100 ${TALL}Z`;
}

const LINE_AFTER = {
  "": "border-r border-r-ink",
  repeat: "border-r-4 border-double border-r-ink",
  fine: "border-r-[5px] border-r-ink",
} as const;

const lineBefore = (opens: boolean, leads: boolean) =>
  opens ? "border-l-4 border-double border-l-ink" : leads ? "border-l border-l-ink" : "";

export const BarCell = memo(function BarCell(props: Props) {
  const { bar, meter, beats, sound, section, chords, mark, call, flag, zoom, leads, opens, closes } = props;
  const { chosen, focusable, start, extend, places } = props;
  const { t } = useTranslation();
  const look = LOOKS[zoom];
  return (
    <div className="relative pt-[16px]">
      {mark && <span className="absolute left-0 top-px whitespace-nowrap text-[10.5px] font-[650]">{mark}</span>}
      {call && (
        <span
          className="tight absolute right-1 top-px max-w-full truncate text-[10.5px] font-[650] text-brass"
          title={t("song.called", { text: call })}
        >
          “{call}”
        </span>
      )}
      <button
        type="button"
        data-bar={bar}
        tabIndex={focusable ? 0 : -1}
        aria-pressed={chosen}
        aria-label={[t("song.barLabel", { bar, section, meter }), chords, flag && t("marks.title")]
          .filter(Boolean)
          .join(", ")}
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          e.currentTarget.releasePointerCapture(e.pointerId);
          if (e.shiftKey) extend(bar);
          else start(bar);
        }}
        onPointerEnter={(e) => e.buttons === 1 && extend(bar)}
        style={{ height: look.height }}
        className={`relative block w-full touch-pan-y select-none overflow-hidden border-b border-b-line ${lineBefore(opens, leads)} ${LINE_AFTER[closes]} ${places ? "bg-brassbg" : chosen ? "bg-pinebg outline-2 -outline-offset-2 outline-pine" : "hover:bg-line2"}`}
      >
        <Sound sound={sound} height={look.sound} />
        {zoom <= 2 && zoom > 0 && <Beats count={beats} />}
        <span className="absolute left-[3px] top-px text-[10px] text-soft">{bar}</span>
        {flag && <Flag size={12} aria-hidden className="absolute bottom-[2px] left-[3px] fill-plum text-plum" />}
        {chords && <Chords chords={chords.split(" ")} size={look.chord} />}
        {places && <Playhead places={places} bar={bar} />}
      </button>
    </div>
  );
});

function Beats({ count }: { count: number }) {
  return Array.from({ length: count - 1 }, (_, i) => (
    <span
      key={i}
      aria-hidden
      className="absolute bottom-0 h-[22%] border-l border-edge"
      style={{ left: `${((i + 1) * 100) / count}%` }}
    />
  ));
}

/** The loudness of the bar, at its foot. */
function Sound({ sound, height }: { sound: number[]; height: number }) {
  return (
    <svg
      aria-hidden
      className="absolute inset-x-0 bottom-0 w-full"
      style={{ height }}
      viewBox="0 0 100 100"
      preserveAspectRatio="none"
    >
      <path d={outline(sound)} className="fill-[color-mix(in_srgb,var(--pine)_24%,transparent)]" />
    </svg>
  );
}

function Chords({ chords: parts, size }: { chords: string[]; size: number }) {
  return (
    <span
      className="tight absolute inset-x-[4px] top-0 flex justify-between gap-[3px] whitespace-nowrap pl-[17px] font-[650]"
      style={{ fontSize: parts.length > 2 ? size * 0.82 : size }}
    >
      {parts.map((c, i) => (
        <span key={i} className={parts.length === 1 ? "ml-auto" : ""}>
          {sign(c)}
        </span>
      ))}
    </span>
  );
}
