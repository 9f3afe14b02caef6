import { describe, expect, it } from "vitest";

import { beatUnit, dbfs, duration, grouping, secondsOf, signed, tempo, timeAfter } from "./format";

describe("figures as they are read", () => {
  it("shows lengths", () => {
    expect([0, 59.6, 228.4, 3725].map(duration)).toEqual(["0:00", "1:00", "3:48", "1:02:05"]);
    expect(duration(-1)).toBe("0:00");
    expect(["3:30", " 210", "1:02:03", "0:01.5", "0:01,5"].map(secondsOf)).toEqual([210, 210, 3723, 1.5, 1.5]);
    expect(["", "three", "3:", "-1", "1:2:3:4", "3 30"].map(secondsOf)).toEqual(Array(6).fill(NaN));
  });
  it("shows gains with a true minus and no negative nought", () => {
    expect(signed(-3)).toBe("−3.0");
    expect(signed(-0.01)).toBe("0.0");
    expect(signed(1.25, 1, true)).toBe("+1.3");
  });
  it("shows tempos with two decimals at least, and as many as were typed", () => {
    expect([126.5, "93.37", "64", "120.125"].map(tempo)).toEqual(["126.50", "93.37", "64.00", "120.125"]);
  });
  it("tells the time of day past midnight", () => {
    expect(timeAfter("23:50", 900)).toBe("00:05");
    expect(timeAfter("20:15:00", 0)).toBe("20:15");
  });
  it("knows beats, groups and levels", () => {
    expect([beatUnit("3/2"), beatUnit(undefined), beatUnit("7")]).toEqual(["♩.", "♩", "♩"]);
    expect([grouping([2, 2, 3]), grouping([4]), grouping(undefined)]).toEqual(["2+2+3", "", ""]);
    expect(dbfs(0)).toBe(-Infinity);
    expect(dbfs(0.5)).toBeCloseTo(-6.02, 2);
  });
});
