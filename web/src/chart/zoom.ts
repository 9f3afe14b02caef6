import { useState } from "react";

/** Bars in a row; 0 is the whole song on one screen. */
export const ZOOMS = [0, 16, 8, 4, 2, 1] as const;
export type Zoom = (typeof ZOOMS)[number];

const KEPT = "chart-zoom";

export function useZoom() {
  const [zoom, setZoom] = useState<Zoom>(() => ZOOMS.find((z) => String(z) === localStorage.getItem(KEPT)) ?? 8);
  const set = (to: Zoom) => {
    localStorage.setItem(KEPT, String(to));
    setZoom(to);
  };
  const step = (by: 1 | -1) => {
    const to = ZOOMS[ZOOMS.indexOf(zoom) + by];
    if (to !== undefined) set(to);
  };
  return { zoom, set, step };
}

/** How a bar is drawn at each zoom: its height, its sound's height, and how many peaks are asked for. */
export const LOOKS: Record<Zoom, { height: number; sound: number; points: number; chord: number }> = {
  0: { height: 22, sound: 14, points: 6, chord: 9 },
  16: { height: 36, sound: 18, points: 12, chord: 11 },
  8: { height: 38, sound: 22, points: 12, chord: 13 },
  4: { height: 58, sound: 36, points: 32, chord: 17 },
  2: { height: 96, sound: 64, points: 96, chord: 22 },
  1: { height: 150, sound: 110, points: 240, chord: 28 },
};
