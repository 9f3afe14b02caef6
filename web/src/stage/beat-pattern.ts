export interface Point {
  x: number;
  y: number;
}

/**
 * Where a conductor's hand strikes each beat, in a box of 190 by 150: down on one, in towards the
 * left, out to the right, up on the last.
 */
const PATTERNS: Record<number, Point[]> = {
  1: [{ x: 95, y: 120 }],
  2: [
    { x: 84, y: 120 },
    { x: 136, y: 92 },
  ],
  3: [
    { x: 95, y: 120 },
    { x: 156, y: 98 },
    { x: 112, y: 58 },
  ],
  4: [
    { x: 95, y: 120 },
    { x: 36, y: 100 },
    { x: 156, y: 100 },
    { x: 108, y: 56 },
  ],
  5: [
    { x: 95, y: 122 },
    { x: 62, y: 106 },
    { x: 28, y: 92 },
    { x: 158, y: 98 },
    { x: 108, y: 56 },
  ],
  6: [
    { x: 95, y: 122 },
    { x: 64, y: 110 },
    { x: 30, y: 94 },
    { x: 126, y: 110 },
    { x: 162, y: 94 },
    { x: 108, y: 54 },
  ],
  7: [
    { x: 95, y: 124 },
    { x: 68, y: 112 },
    { x: 40, y: 100 },
    { x: 22, y: 84 },
    { x: 130, y: 110 },
    { x: 164, y: 92 },
    { x: 108, y: 54 },
  ],
};

export function beatPoints(beats: number): Point[] {
  const known = PATTERNS[beats];
  if (known) return known;
  // Longer bars are beaten along an arc, one strike after the other.
  return Array.from({ length: Math.max(1, beats) }, (_, i) => {
    const angle = Math.PI * (0.5 + (2 * i) / beats);
    return { x: 95 + 68 * Math.cos(angle), y: 75 + 48 * Math.sin(angle) };
  });
}

/** The hand's place `phase` (0 to 1) of the way from one strike to the next: Catmull-Rom through all strikes. */
export function handAt(points: Point[], beat: number, phase: number): Point {
  const n = points.length;
  const at = (i: number) => points[((i % n) + n) % n] as Point;
  const [a, b, c, d] = [at(beat - 1), at(beat), at(beat + 1), at(beat + 2)];
  const t = Math.min(1, Math.max(0, phase));
  const blend = (p: number, q: number, r: number, s: number) =>
    0.5 * (2 * q + (r - p) * t + (2 * p - 5 * q + 4 * r - s) * t * t + (3 * q - p - 3 * r + s) * t * t * t);
  if (n === 1) return { x: b.x, y: b.y - 90 * Math.sin(Math.PI * t) };
  return { x: blend(a.x, b.x, c.x, d.x), y: blend(a.y, b.y, c.y, d.y) };
}

/** The whole path of a bar, or the part up to `beat` and `phase`, as SVG. */
export function beatPath(points: Point[], upTo = points.length): string {
  const steps = Math.max(1, Math.round(upTo * 12));
  const line = Array.from({ length: steps + 1 }, (_, i) => {
    const at = (upTo * i) / steps;
    const beat = Math.min(points.length - 1, Math.floor(at));
    const p = handAt(points, beat, at - beat);
    return `${p.x.toFixed(1)} ${p.y.toFixed(1)}`;
  });
  return `M${line.join(" L")}`;
}
