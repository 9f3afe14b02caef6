import { useId } from "react";
import { useTranslation } from "react-i18next";

import { CURVE_HZ } from "@/generated/core";
import { signed } from "@/lib/format";

const WIDTH = 420;
const HEIGHT = 96;
const MOST_DB = 15;
const MARKS = [50, 100, 200, 500, 1000, 2000, 5000, 10_000];

const [LOWEST, HIGHEST] = [CURVE_HZ[0], CURVE_HZ[CURVE_HZ.length - 1] as number];
const across = (hz: number) => (WIDTH * Math.log(hz / LOWEST)) / Math.log(HIGHEST / LOWEST);
const down = (db: number) => HEIGHT / 2 - (db * HEIGHT) / (2 * MOST_DB);

/** The tone as a curve over the frequencies. */
export function ToneCurve({ db }: { db: readonly number[] }) {
  const { t } = useTranslation();
  const clip = useId();
  const path = db.map(
    (one, i) => `${i ? "L" : "M"}${across(CURVE_HZ[i] ?? LOWEST).toFixed(1)} ${down(one).toFixed(1)}`,
  );
  const label = t("tone.curve", { low: signed(Math.min(...db)), high: signed(Math.max(...db)) });
  return (
    <svg
      role="img"
      aria-label={label}
      viewBox={`0 -2 ${WIDTH} ${HEIGHT + 18}`}
      className="mt-2 w-full border border-line bg-sheet text-soft"
    >
      {MARKS.map((hz) => (
        <g key={hz}>
          <line x1={across(hz)} x2={across(hz)} y1={0} y2={HEIGHT} stroke="var(--color-line2)" />
          <text x={across(hz)} y={HEIGHT + 12} textAnchor="middle" fontSize={10} fill="currentColor">
            {hz < 1000 ? hz : `${hz / 1000}k`}
          </text>
        </g>
      ))}
      <line x1={0} x2={WIDTH} y1={HEIGHT / 2} y2={HEIGHT / 2} stroke="var(--color-line)" />
      {[MOST_DB, 0, -MOST_DB].map((one) => (
        <text key={one} x={4} y={down(one) + (one > 0 ? 10 : -3)} fontSize={10} fill="currentColor">
          {signed(one)}
        </text>
      ))}
      <clipPath id={clip}>
        <rect width={WIDTH} height={HEIGHT} />
      </clipPath>
      <path d={path.join(" ")} clipPath={`url(#${clip})`} fill="none" stroke="var(--color-pine)" strokeWidth={2} />
    </svg>
  );
}
