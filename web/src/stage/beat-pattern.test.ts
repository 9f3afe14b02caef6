import { describe, expect, it } from "vitest";

import { beatPath, beatPoints, handAt } from "./beat-pattern";

describe("the conductor's hand", () => {
  it.each([1, 2, 3, 4, 5, 6, 7, 9, 12])("strikes all of %i beats inside the box", (beats) => {
    const points = beatPoints(beats);
    expect(points).toHaveLength(beats);
    for (const p of points) {
      expect(p.x).toBeGreaterThan(0);
      expect(p.x).toBeLessThan(190);
      expect(p.y).toBeLessThan(150);
    }
    expect(points[0]?.y).toBeGreaterThanOrEqual(Math.max(...points.map((p) => p.y)) - 1e-9);
  });
  it("is at the strike when the beat begins, and at the next when it ends", () => {
    const points = beatPoints(4);
    for (let beat = 0; beat < 4; beat++) {
      expect(handAt(points, beat, 0)).toEqual(points[beat]);
      expect(handAt(points, beat, 1).x).toBeCloseTo(points[(beat + 1) % 4]?.x ?? 0);
    }
  });
  it("never leaves the screen for a phase that is out of range", () => {
    expect(handAt(beatPoints(3), 0, 7)).toEqual(handAt(beatPoints(3), 0, 1));
  });
  it("draws a path without holes", () => {
    expect(beatPath(beatPoints(7))).not.toContain("NaN");
    expect(beatPath(beatPoints(4), 0)).toMatch(/^M95\.0 120\.0/);
  });
});
