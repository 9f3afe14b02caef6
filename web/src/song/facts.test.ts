import { describe, expect, it } from "vitest";

import { bare } from "@/setlists/entries";

import { meterText } from "./facts";

describe("metres as musicians write them", () => {
  it("carry their grouping", () => {
    expect(meterText({ bar: 1, meter: "7/8", grouping: [2, 2, 3] })).toBe("7/8 2+2+3");
    expect(meterText(undefined)).toBe("");
  });
});

describe("an entry on its way to the server", () => {
  it("carries what was chosen and nothing that was worked out", () => {
    const entry = {
      id: "e",
      song: "s",
      form: "",
      link: "wait" as const,
      link_seconds: 0,
      pad: "" as const,
      call_title: false,
      timecode: "",
      screen: "song" as const,
      semitones: 2,
      tempo_percent: 92,
      note: "before the talk",
      colour: null,
      players: {},
      set_name: "",
      interval_minutes: null,
      title: "X",
      bpm: "1",
    };
    expect(bare(entry)).toEqual({
      id: "e",
      song: "s",
      form: "",
      link: "wait",
      link_seconds: 0,
      pad: "" as const,
      call_title: false,
      timecode: "",
      screen: "song",
      semitones: 2,
      tempo_percent: 92,
      note: "before the talk",
      colour: null,
      players: {},
      set_name: "",
      interval_minutes: null,
    });
  });
});
