import type { Feed, Rig } from "@/api/types";
import { GROUPS as ALL_GROUPS } from "@/generated/core";

/** Where things stand on the board, in px. */
export const BOARD = {
  source: { x: 0, width: 170 },
  feed: { x: 262, width: 202 },
  socket: { x: 600 },
  pitch: { source: 54, feed: 78, socket: 52 },
  height: 40,
};
const GROUPS = ALL_GROUPS.filter((g) => !["click", "cues", "timecode"].includes(g));
const COLOURS: Record<string, string> = {
  "group:rhythm": "pine",
  "group:tonal": "plum",
  "group:voices": "moss",
  "group:effects": "slate",
  "group:full_mix": "ink",
  "group:click": "brassline",
  "group:timecode": "edge",
  click: "brassline",
  cues: "slate",
};

export interface Source {
  id: string;
  colour: string;
}
export interface Wire {
  key: string;
  /** What it leads from and to: a source, `feed:ID`, `socket:N`. */
  ends: [string, string];
  path: string;
  colour: string;
  dashed: boolean;
}

/** What sounds: the groups of stems and the two guides, and others that a feed takes from. */
export function sourcesOf(feeds: Feed[]): Source[] {
  const usual = [...GROUPS.map((g) => `group:${g}`), "click", "cues"];
  const more = feeds
    .flatMap((f) => f.sends.map((s) => s.source))
    .filter((s) => !s.startsWith("feed:") && !usual.includes(s));
  return [...usual, ...new Set(more)].map((id) => ({ id, colour: COLOURS[id] ?? "edge" }));
}

/** A feed wears the colour of the first thing in it. */
export function feedColour(feed: Feed): string {
  const first = feed.sends.find((s) => !s.source.startsWith("feed:"));
  return (first && COLOURS[first.source]) ?? "edge";
}

export const sourceY = (i: number) => i * BOARD.pitch.source + 24;
export const feedY = (i: number) => i * BOARD.pitch.feed + 34;
export const socketY = (i: number) => i * BOARD.pitch.socket + 24;
/** Where a side of a feed leaves it: left above, right below, mono in the middle. */
export const jackY = (i: number, side: string) => feedY(i) + ({ left: -11, right: 11 }[side] ?? 0);

export function boardHeight(sources: number, feeds: number, sockets: number): number {
  return Math.max(sourceY(sources - 1), feedY(feeds - 1), socketY(sockets - 1), 0) + 48;
}

function curve(x1: number, y1: number, x2: number, y2: number): string {
  const reach = Math.max(40, (x2 - x1) / 2);
  return `M${x1} ${y1} C${x1 + reach} ${y1} ${x2 - reach} ${y2} ${x2} ${y2}`;
}

/** Every send and every patch as a wire; a feed taken by another feed hangs in a loop on its left. */
export function wiresOf(feeds: Feed[], rig: Rig | undefined): Wire[] {
  const sources = sourcesOf(feeds).map((s) => s.id);
  const place = new Map(feeds.map((f, i) => [f.id, i]));
  const wires: Wire[] = [];
  feeds.forEach((feed, i) => {
    for (const send of feed.sends) {
      const other = send.source.startsWith("feed:") ? place.get(send.source.slice(5)) : undefined;
      const key = `${send.source}>${feed.id}`;
      if (other !== undefined) {
        const [y1, y2, x] = [feedY(other), feedY(i), BOARD.feed.x];
        wires.push({
          key,
          ends: [send.source, `feed:${feed.id}`],
          path: `M${x} ${y1} C${x - 52} ${y1} ${x - 52} ${y2} ${x} ${y2}`,
          colour: feedColour(feeds[other] as Feed),
          dashed: true,
        });
      } else if (sources.includes(send.source)) {
        const from = sources.indexOf(send.source);
        wires.push({
          key,
          ends: [send.source, `feed:${feed.id}`],
          path: curve(BOARD.source.width, sourceY(from), BOARD.feed.x, feedY(i)),
          colour: COLOURS[send.source] ?? "edge",
          dashed: send.gain_db < -0.05,
        });
      }
    }
  });
  const rows = new Map(rig?.sockets.map((s, i) => [s.number, i]));
  for (const patch of rig?.patches ?? []) {
    const [f, s] = [place.get(patch.feed), rows.get(patch.socket)];
    if (f === undefined || s === undefined) continue;
    const feed = feeds[f] as Feed;
    wires.push({
      key: `${patch.feed}.${patch.side}>${patch.socket}`,
      ends: [`feed:${patch.feed}`, `socket:${patch.socket}`],
      path: curve(
        BOARD.feed.x + BOARD.feed.width,
        jackY(f, feed.channels === 1 ? "mono" : patch.side),
        BOARD.socket.x,
        socketY(s),
      ),
      colour: feedColour(feed),
      dashed: false,
    });
  }
  return wires;
}

/** So many wires are drawn thin. */
const MANY = 40;

/** How a wire looks: those of what one is at stand out from all others, and where there are many they are thin. */
export function lookOf(wire: Wire, near: string, count: number): { width: number; opacity: number } {
  if (near) return wire.ends.includes(near) ? { width: 3, opacity: 1 } : { width: 1.4, opacity: 0.12 };
  return count > MANY ? { width: 1.4, opacity: 0.6 } : { width: 2.4, opacity: 1 };
}

export function sidesOf(feed: Feed): ("left" | "right" | "mono")[] {
  return feed.channels === 1 ? ["mono"] : ["left", "right"];
}
