import { useTranslation } from "react-i18next";

import type { Level, Song } from "@/api/types";
import { duration, signed } from "@/lib/format";

const WIDTH = 900;
const HEIGHT = 150;
const TOP = 22;
const LEFT = 34;

interface Props {
  song: Song;
  level: Level;
  form: string;
}

/** Short-term loudness along the song, over its sections, against the target. */
export function Curve({ song, level, form }: Props) {
  const { t } = useTranslation();
  const known = level.short_term.filter((v): v is number => v !== null);
  const high = Math.ceil(Math.max(-8, ...known, level.target ?? -60) / 2) * 2;
  const low = high - 30;
  const x = (s: number) => LEFT + (s / Math.max(1, level.seconds)) * (WIDTH - LEFT);
  const y = (lufs: number) => TOP + ((high - Math.max(low, lufs)) / (high - low)) * (HEIGHT - TOP);
  const parts = lines(level.short_term).map((run) =>
    run.map(([i, v], k) => `${k ? "L" : "M"}${x(i * level.step_s).toFixed(1)} ${y(v).toFixed(1)}`).join(""),
  );
  const loudest = known.length ? Math.max(...known) : null;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      role="img"
      aria-label={t("levels.curve", { title: song.title, loudest: loudest === null ? "–" : signed(loudest) })}
      className="w-full border border-line bg-sheet [&_text]:fill-soft [&_text]:text-[11px]"
    >
      <Sections song={song} level={level} form={form} x={x} />
      {[high, high - 10, high - 20].map((v) => (
        <text key={v} x={LEFT - 5} y={y(v) + 4} textAnchor="end">
          {signed(v, 0)}
        </text>
      ))}
      {level.target !== null && (
        <line
          x1={LEFT}
          x2={WIDTH}
          y1={y(level.target)}
          y2={y(level.target)}
          className="stroke-brassline"
          strokeDasharray="5 4"
          strokeWidth={1.5}
        />
      )}
      {parts.map((d) => (
        <path key={d.slice(0, 40)} d={d} fill="none" className="stroke-pine" strokeWidth={1.6} />
      ))}
      <text x={WIDTH - 4} y={16} textAnchor="end">
        {duration(level.seconds)}
      </text>
    </svg>
  );
}

/** The stretches without silence between, as (place, loudness). */
function lines(values: readonly (number | null)[]): [number, number][][] {
  const found: [number, number][][] = [];
  let run: [number, number][] = [];
  values.forEach((v, i) => {
    if (v === null) {
      if (run.length) found.push(run);
      run = [];
    } else run.push([i, v]);
  });
  return run.length ? [...found, run] : found;
}

interface SectionsProps {
  song: Song;
  level: Level;
  form: string;
  x: (seconds: number) => number;
}

/** Where each section begins, in its colour. */
function Sections({ song, level, form, x }: SectionsProps) {
  const steps = song.forms.find((f) => f.id === form)?.steps ?? [];
  return (
    <>
      {level.steps.map(({ step, at_s }, i) => {
        const section = song.sections.find((s) => s.id === steps[step]?.section);
        const until = level.steps[i + 1]?.at_s ?? level.seconds;
        return (
          <g key={at_s} className={`k${section?.colour ?? 1}`}>
            <rect x={x(at_s)} width={Math.max(0, x(until) - x(at_s) - 1)} y={0} height={4} fill="var(--k)" />
            <line x1={x(at_s)} x2={x(at_s)} y1={4} y2={HEIGHT} className="stroke-line2" />
            <text x={x(at_s) + 4} y={16} className="font-[650]">
              {section?.mark}
            </text>
          </g>
        );
      })}
    </>
  );
}
