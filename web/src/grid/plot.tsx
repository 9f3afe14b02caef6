import { useTranslation } from "react-i18next";

import type { Grid } from "@/api/types";
import { signed } from "@/lib/format";

import { scaleOf, ticks } from "./scale";

const WIDTH = 790;
const HEIGHT = 330;
const LEFT = 52;
const RIGHT = 14;
const TOP = 26;
const BOTTOM = 26;

interface Props {
  grid: Grid;
  /** Milliseconds by which the grid is being moved and not saved yet. */
  moving: number;
  chosen: number[];
  choose: (bar: number) => void;
}

/** How far every bar is from its click, over the whole song: as it is now, and as proposed. */
export function Plot({ grid, moving, chosen, choose }: Props) {
  const { t } = useTranslation();
  const { bars } = grid;
  const moved = bars.map((b) => ({ ...b, off_ms: b.off_ms === null ? null : b.off_ms - moving }));
  const scale = scaleOf(moved);
  const x = (bar: number) => LEFT + ((bar - 0.5) / Math.max(1, bars.length)) * (WIDTH - LEFT - RIGHT);
  const y = (ms: number) => TOP + ((scale.top - ms) / (scale.top - scale.bottom)) * (HEIGHT - TOP - BOTTOM);
  const heard = moved.filter((b) => b.off_ms !== null);
  const worst = heard.reduce((most, b) => Math.max(most, Math.abs(b.off_ms ?? 0)), 0);
  const bar = (e: React.MouseEvent<SVGSVGElement>) => {
    const box = e.currentTarget.getBoundingClientRect();
    const at = ((e.clientX - box.left) / box.width) * WIDTH;
    return Math.min(bars.length, Math.max(1, Math.round(((at - LEFT) / (WIDTH - LEFT - RIGHT)) * bars.length + 0.5)));
  };
  return (
    <svg
      role="img"
      aria-label={
        heard.length ? t("grid.plotTold", { count: heard.length, worst: Math.round(worst) }) : t("grid.plotEmpty")
      }
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      className="w-full cursor-crosshair border border-line bg-sheet [&_text]:fill-soft [&_text]:text-[11px]"
      onClick={(e) => choose(bar(e))}
    >
      <Axes grid={grid} scale={scale} x={x} y={y} chosen={chosen} />
      <Dots grid={grid} moved={moved} scale={scale} x={x} y={y} />
    </svg>
  );
}

interface LayerProps {
  grid: Grid;
  scale: ReturnType<typeof scaleOf>;
  /** Where a bar lies across, and milliseconds up and down, in the picture. */
  x: (bar: number) => number;
  y: (ms: number) => number;
}

/** The band in which nobody hears a difference, lines for milliseconds, numbers of bars, and the chosen bars. */
function Axes({ grid: { bars }, scale, x, y, chosen }: LayerProps & { chosen: number[] }) {
  const { t } = useTranslation();
  const every = Math.max(1, [1, 2, 4, 8, 16, 32, 64, 128].find((n) => bars.length / n <= 20) ?? 256);
  return (
    <>
      <rect
        x={LEFT}
        width={WIDTH - LEFT - RIGHT}
        y={y(10)}
        height={y(-10) - y(10)}
        className="fill-pine"
        opacity={0.1}
      />
      <Ticks scale={scale} y={y} />
      <text x={10} y={16}>
        {t("grid.axis")}
      </text>
      <text x={WIDTH - RIGHT - 4} y={y(10) - 4} textAnchor="end">
        {t("grid.nobodyHears")}
      </text>
      {bars.map((b, i) =>
        i % every === 0 ? (
          <text key={b.bar} x={x(b.bar)} y={HEIGHT - 8} textAnchor="middle">
            {b.bar}
          </text>
        ) : null,
      )}
      {chosen.map((c) => (
        <line
          key={c}
          x1={x(c)}
          x2={x(c)}
          y1={TOP}
          y2={HEIGHT - BOTTOM}
          className="stroke-brass"
          strokeDasharray="2 3"
        />
      ))}
    </>
  );
}

/** Every bar as it is, as proposed, and the pins. */
function Dots({ grid, moved, scale, x, y }: LayerProps & { moved: Grid["bars"] }) {
  return (
    <>
      {grid.proposal &&
        !grid.proposal.unsure &&
        grid.bars.map(
          (b) =>
            b.fit_ms !== null && (
              <circle
                key={b.bar}
                cx={x(b.bar)}
                cy={y(Math.max(scale.bottom, Math.min(scale.top, b.fit_ms)))}
                r={1.9}
                className="fill-none stroke-pine"
              />
            ),
        )}
      {moved.map(
        (b) =>
          b.off_ms !== null && (
            <circle
              key={b.bar}
              cx={x(b.bar)}
              cy={y(b.off_ms)}
              r={2.7}
              className={Math.abs(b.off_ms) <= 10 ? "fill-pine" : "fill-clay"}
              opacity={0.35 + 0.65 * Math.min(1, b.sure * 2)}
            />
          ),
      )}
      {grid.pins.map((p) => (
        <path key={p} d={`M${x(p)} ${HEIGHT - BOTTOM}l-5 9h10z`} className="fill-brass" />
      ))}
    </>
  );
}

function Ticks({ scale, y }: { scale: LayerProps["scale"]; y: LayerProps["y"] }) {
  return (
    <>
      {ticks(scale).map((ms) => (
        <g key={ms}>
          <line
            x1={LEFT}
            x2={WIDTH - RIGHT}
            y1={y(ms)}
            y2={y(ms)}
            className={ms === 0 ? "stroke-ink" : "stroke-line2"}
          />
          <text x={LEFT - 6} y={y(ms) + 4} textAnchor="end">
            {signed(ms, 0)}
          </text>
        </g>
      ))}
    </>
  );
}
