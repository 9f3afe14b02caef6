import { describe, expect, it } from "vitest";

import { toSpare } from "./slot";

const at = (time: string) => new Date(`2031-05-01T${time}:00`);
const slot = (starts_at: string | null, minutes = 75) => ({ starts_at, minutes });

describe("the slot", () => {
  it.each([
    ["20:45", "20:15", 40 * 60, 5],
    ["20:45", "20:15", 50 * 60, -5],
    // An hour before it begins the show has all of its slot.
    ["19:15", "20:15", 70 * 60, 5],
    // Past midnight.
    ["00:10", "23:30", 20 * 60, 15],
    ["23:50", "00:10", 70 * 60, 5],
  ])("at %s of one from %s with %d s left has %d minutes to spare", (now, starts_at, left, spare) => {
    expect(toSpare(slot(starts_at), at(now), left)).toBe(spare);
  });
  it("is not known without a time or without a setlist", () => {
    expect(toSpare(slot(null), at("20:00"), 60)).toBeNull();
    expect(toSpare(null, at("20:00"), 60)).toBeNull();
  });
});
