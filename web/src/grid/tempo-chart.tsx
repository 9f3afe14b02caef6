import { useTranslation } from "react-i18next";

import type { Song } from "@/api/types";
import { tempo } from "@/lib/format";

const WIDTH = 790;
const HEIGHT = 90;

/** The tempo through the song, as steps and ramps over bars. */
export function TempoChart({ song }: { song: Song }) {
  const { t } = useTranslation();
  const points = song.tempo.map((p) => ({ bar: p.bar, bpm: Number(p.bpm), ramp: p.ramp ?? false }));
  const low = Math.min(...points.map((p) => p.bpm));
  const high = Math.max(...points.map((p) => p.bpm));
  const span = Math.max(1, high - low);
  const x = (bar: number) => 52 + ((bar - 1) / Math.max(1, song.bars)) * (WIDTH - 66);
  const y = (bpm: number) => 14 + ((high - bpm) / span) * (HEIGHT - 34);
  const path = points
    .map((p, i) =>
      i === 0
        ? `M${x(p.bar)} ${y(p.bpm)}`
        : points[i - 1]?.ramp
          ? `L${x(p.bar)} ${y(p.bpm)}`
          : `H${x(p.bar)}V${y(p.bpm)}`,
    )
    .join("");
  return (
    <svg
      role="img"
      aria-label={t("grid.tempoChart", { low: tempo(low), high: tempo(high) })}
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full border border-line bg-sheet [&_text]:fill-soft [&_text]:text-[11px]"
    >
      <text x={46} y={y(high) + 4} textAnchor="end">
        {high.toFixed(1)}
      </text>
      <text x={46} y={y(low) + 4} textAnchor="end">
        {low.toFixed(1)}
      </text>
      <path d={`${path}H${x(song.bars + 1)}`} className="fill-none stroke-slate" strokeWidth={1.6} />
      {song.sections.map((s) => (
        <g key={s.id}>
          <line x1={x(s.first_bar)} x2={x(s.first_bar)} y1={8} y2={HEIGHT - 18} className="stroke-line" />
          <text x={x(s.first_bar) + 3} y={HEIGHT - 6}>
            {s.mark}
          </text>
        </g>
      ))}
    </svg>
  );
}
