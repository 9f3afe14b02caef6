import { describe, expect, it } from "vitest";
import { socket } from "@/test/helpers";

import type { Feed, Rig } from "@/api/types";

import { BOARD, boardHeight, feedColour, feedY, jackY, lookOf, sidesOf, socketY, sourcesOf, wiresOf } from "./board";

const feed = (id: string, sends: string[], channels = 2): Feed => ({
  id,
  name: id,
  kind: "monitor",
  channels,
  gain_db: 0,
  alone: false,
  player: null,
  position: 0,
  tone: null,
  tone_curve: [],
  ceiling_db: null,
  sends: sends.map((source) => ({ source, gain_db: 0, before: false })),
});
const rig = (patches: Rig["patches"]): Rig => ({
  id: "r",
  name: "Rig",
  position: 0,
  revision: 1,
  sockets: [1, 2, 5].map((number) => socket(number)),
  patches,
  problems: [],
  checks: [],
  interface: null,
});
const patch = (at: string, side: "left" | "right" | "mono", socket: number) => ({
  feed: at,
  side,
  socket,
  trim_db: 0,
  delay_ms: 0,
  invert: false,
});

describe("the board of wires", () => {
  it("draws one wire for each send and each patch that leads somewhere", () => {
    const feeds = [feed("h", ["group:rhythm", "click"]), feed("m", ["feed:h", "cues"], 1)];
    const wires = wiresOf(
      feeds,
      rig([patch("h", "left", 1), patch("h", "right", 5), patch("gone", "left", 1), patch("m", "mono", 9)]),
    );
    expect(wires.map((w) => w.key).sort()).toEqual([
      "click>h",
      "cues>m",
      "feed:h>m",
      "group:rhythm>h",
      "h.left>1",
      "h.right>5",
    ]);
  });
  it("starts at the side of the feed and ends at the row of the socket", () => {
    const [wire] = wiresOf([feed("h", [])], rig([patch("h", "right", 5)]));
    expect(wire?.path).toBe(
      `M${BOARD.feed.x + BOARD.feed.width} ${jackY(0, "right")} ${wire?.path.split(" ").slice(2).join(" ")}`,
    );
    expect(wire?.path.endsWith(`${BOARD.socket.x} ${socketY(2)}`)).toBe(true);
    expect(jackY(0, "mono")).toBe(feedY(0));
  });
  it("shows a source of its own where a feed takes a single stem", () => {
    expect(sourcesOf([feed("h", ["stem:x"])]).map((s) => s.id)).toContain("stem:x");
    expect(sourcesOf([]).map((s) => s.id)).toEqual([
      "group:rhythm",
      "group:tonal",
      "group:voices",
      "group:effects",
      "group:full_mix",
      "click",
      "cues",
    ]);
  });
  it("has room for everything, and for nothing", () => {
    expect(boardHeight(7, 12, 64)).toBeGreaterThan(socketY(63));
    expect(boardHeight(0, 0, 0)).toBeGreaterThan(0);
    expect(feedColour(feed("h", ["feed:x"]))).toBe("edge");
    expect([sidesOf(feed("a", [], 1)), sidesOf(feed("a", []))]).toEqual([["mono"], ["left", "right"]]);
  });
  it("lets the wires of what one is at stand out, and draws many thin", () => {
    const [from, to] = wiresOf([feed("a", ["click"]), feed("b", ["cues"])], undefined);
    expect(from && [lookOf(from, "click", 2).opacity, lookOf(from, "feed:a", 2).opacity]).toEqual([1, 1]);
    expect(to && lookOf(to, "click", 2).opacity).toBeLessThan(0.2);
    const widths = [90, 9].map((count) => from && lookOf(from, "", count).width);
    expect(widths).toEqual([1.4, 2.4]);
  });
});
