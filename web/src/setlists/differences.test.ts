import { describe, expect, it } from "vitest";

import { rig, setlist, socket } from "@/test/helpers";
import type { Entry } from "@/api/types";
import { rigDifferences } from "@/outputs/differences";

import { setlistDifferences } from "./differences";

const entry = (id: string, more: Partial<Entry> = {}) =>
  ({
    id,
    title: id,
    song: id,
    form: "",
    link: "wait",
    link_seconds: 0,
    call_title: false,
    interval_minutes: null,
    ...more,
  }) as Entry;
const lines = (list: { what: string; name: string }[]) => list.map((d) => `${d.what} ${d.name}`.trim());

describe("what is different", () => {
  it("says of a setlist what came, went, moved or was set otherwise", () => {
    const old = setlist({ entries: [entry("Kites"), entry("Boats"), entry("Lamps")] });
    const now = setlist({
      name: "Friday",
      entries: [entry("Lamps"), entry("Kites", { link: "attacca" }), entry("Moon")],
    });
    expect(lines(setlistDifferences(old, now))).toEqual([
      "name",
      "entryGone Boats",
      "entryChanged Kites",
      "entryNew Moon",
      "order",
    ]);
    expect(setlistDifferences(old, old)).toEqual([]);
  });
  it("says of a rig which sockets and wires", () => {
    const wire = (socket: number) => ({
      feed: "h",
      side: "mono" as const,
      socket,
      trim_db: 0,
      delay_ms: 0,
      invert: false,
    });
    const old = rig({ patches: [wire(1)] });
    const now = rig({
      patches: [wire(2)],
      sockets: [...old.sockets.slice(1), socket(3)],
    });
    expect(lines(rigDifferences(old, now))).toEqual(["socketGone 1", "socketNew 3", "wireGone 1", "wireNew 2"]);
  });
});
