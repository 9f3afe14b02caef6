import { memo } from "react";
import { useTranslation } from "react-i18next";

import type { Bar } from "@/api/types";

interface Props {
  bar: Bar;
  section: string;
  mark: string | undefined;
  call: string | undefined;
  /** First of its row. */
  leads: boolean;
  opens: boolean;
  closes: "" | "repeat" | "fine";
  chosen: boolean;
  focusable: boolean;
  start: (bar: number) => void;
  extend: (bar: number) => void;
  /** How far the bar has been heard, 0 to 1; −1 where it is not being heard. */
  phase: number;
}

const HEIGHT = 22;

function outline(sound: number[]): string {
  const step = 100 / Math.max(1, sound.length);
  const points = sound.map((level, i) => `L${((i + 0.5) * step).toFixed(1)} ${(HEIGHT - (HEIGHT - 1) * level ** 0.6).toFixed(1)}`);
  return `M0 ${HEIGHT} ${points.join(" ")} L100 ${HEIGHT}Z`;
}

export const BarCell = memo(function BarCell({ bar, section, mark, call, leads, opens, closes, chosen, focusable, start, extend, phase }: Props) {
  const { t } = useTranslation();
  const edge = closes === "repeat" ? "border-r-4 border-double border-r-ink" : closes === "fine" ? "border-r-[5px] border-r-ink" : "border-r border-r-ink";
  return (
    <div className="relative pt-[16px]">
      {mark && <span className="absolute left-0 top-px whitespace-nowrap text-[10.5px] font-[650]">{mark}</span>}
      {call && (
        <span className="tight absolute right-1 top-px max-w-full truncate text-[10.5px] font-[650] text-brass" title={t("song.called", { text: call })}>
          “{call}”
        </span>
      )}
      <button
        type="button"
        data-bar={bar.bar}
        tabIndex={focusable ? 0 : -1}
        aria-pressed={chosen}
        aria-label={t("song.barLabel", { bar: bar.bar, section, meter: bar.meter })}
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          e.currentTarget.releasePointerCapture(e.pointerId);
          if (e.shiftKey) extend(bar.bar);
          else start(bar.bar);
        }}
        onPointerEnter={(e) => e.buttons === 1 && extend(bar.bar)}
        className={`relative block h-[38px] w-full touch-pan-y select-none border-b border-b-line ${opens ? "border-l-4 border-double border-l-ink" : leads ? "border-l border-l-ink" : ""} ${edge} ${
          phase >= 0 ? "bg-brassbg" : chosen ? "bg-pinebg outline-2 -outline-offset-2 outline-pine" : "hover:bg-line2"
        }`}
      >
        <span className="absolute left-[3px] top-px text-[10px] text-soft">{bar.bar}</span>
        <svg aria-hidden className="absolute inset-x-0 bottom-0 h-[22px] w-full" viewBox={`0 0 100 ${HEIGHT}`} preserveAspectRatio="none">
          <path d={outline(bar.sound)} fill="var(--pine)" opacity={0.3} />
        </svg>
        {phase >= 0 && <span className="absolute inset-y-0 w-[2px] bg-brassline" style={{ left: `${phase * 100}%` }} />}
      </button>
    </div>
  );
});
