import { describe, expect, it } from "vitest";

import type { Song } from "@/api/types";
import { newId } from "@/lib/new-id";
import { song, stem } from "@/test/helpers";

import cases from "./ahead.json";
import { echo } from "./echo";

function of(before: (string | number)[][], locked = ""): Song {
  let bar = 1;
  const sections = before.map(([name, bars, colour], i) => {
    const first_bar = bar;
    bar += Number(bars);
    return {
      ...song().sections[0],
      id: `s${i}`,
      name: String(name),
      bars: Number(bars),
      colour: Number(colour),
      first_bar,
      mark: "",
      locked: `s${i}` === locked,
    };
  });
  return song({ sections: sections as Song["sections"] });
}

describe("what is drawn before the answer", () => {
  // The core is held against the same cases (core/tests/test_ahead.py).
  it.each(cases)("is what the core answers: $what", ({ before, args, after }) => {
    const drawn = echo(of(before), "name" in args ? "mark_section" : "move_boundary", args);
    const marked = "name" in args;
    expect(drawn?.sections?.map((s) => [marked ? s.mark : null, s.name, s.first_bar, s.bars, s.colour])).toEqual(
      after.map(([mark, ...rest]) => [marked ? mark : null, ...rest]),
    );
  });
  it("draws what is new under the ids that it is asked for", () => {
    const drawn = echo(of(cases[0]?.before ?? []), "mark_section", {
      first: 3,
      last: 5,
      name: "Bridge",
      ids: ["right", "own"],
    });
    expect(drawn?.sections?.map((s) => s.id)).toEqual(["s0", "own", "right", "s1", "s2"]);
    expect(newId()).toMatch(/^[0-9a-f]{8}-[0-9a-f]{4}-4[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/);
  });
  it("is nothing beside a locked section, for a start past its neighbour, or for what only the core knows", () => {
    const before = cases[0]?.before ?? [];
    expect(echo(of(before, "s0"), "mark_section", { first: 3, last: 5, name: "Bridge" })).toBeNull();
    expect(echo(of(before, "s1"), "move_boundary", { section: "s1", first: 8 })).toBeNull();
    expect(echo(of(before), "move_boundary", { section: "s1", first: 40 })).toBeNull();
    expect(echo(of(before), "split_section", { bar: 3 })).toBeNull();
    expect(
      echo(
        song({
          tempo: [
            { bar: 1, bpm: "120" },
            { bar: 9, bpm: "90" },
          ],
        }),
        "set_tempo",
        { bpm: "100" },
      ),
    ).toBeNull();
    expect(echo(song(), "set_tempo", { bpm: "fast" })).toBeNull();
  });
  it("is no cell that the core would refuse", () => {
    const sheet = song({ stems: [stem("Organ", { levels: { a: 19.8 } })] });
    expect(echo(sheet, "set_cells", { stems: ["Organ"], sections: ["a"], by_db: 0.5 })).toBeNull();
    expect(echo(sheet, "set_cells", { stems: ["Organ"], sections: ["a"], level_db: 0 })?.stems?.[0]?.levels).toEqual(
      {},
    );
  });
});
