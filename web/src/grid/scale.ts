import type { Grid } from "@/api/types";

export interface Scale {
  /** Greatest distance drawn, in ms, above and below the line. */
  top: number;
  bottom: number;
  step: number;
}

const STEPS = [5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000, 10_000];

/** A scale that holds every distance, with a round step, never finer than what nobody hears. */
export function scaleOf(bars: Grid["bars"]): Scale {
  const known = bars.flatMap((b) => (b.off_ms === null ? [] : [b.off_ms]));
  const high = Math.max(20, ...known);
  const low = Math.min(-20, ...known);
  const step = STEPS.find((s) => (high - low) / s <= 7) ?? 20_000;
  return { top: Math.ceil(high / step) * step, bottom: Math.floor(low / step) * step, step };
}

export const ticks = ({ top, bottom, step }: Scale) =>
  Array.from({ length: Math.round((top - bottom) / step) + 1 }, (_, i) => bottom + i * step);
