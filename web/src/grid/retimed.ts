import type { Grid, Song } from "@/api/types";

/**
 * The plot as one typed tempo makes it, until the server has worked it out: every bar line moves
 * along the line from bar 1, and what was heard stays where it is.
 */
export function retimed(grid: Grid, song: Song): Grid {
  const [was, now] = [grid.tempo, song.tempo];
  const factor =
    was.length === 1 && now.length === 1 && (was[0]?.unit ?? "1") === (now[0]?.unit ?? "1")
      ? Number(was[0]?.bpm) / Number(now[0]?.bpm)
      : 1;
  const first = grid.bars[0]?.seconds;
  if (first === undefined || !Number.isFinite(factor) || factor === 1) return grid;
  const moved = (b: Grid["bars"][number]) => {
    const seconds = first + (b.seconds - first) * factor;
    return { ...b, seconds, off_ms: b.off_ms === null ? null : b.off_ms - (seconds - b.seconds) * 1000 };
  };
  return { ...grid, bars: grid.bars.map(moved) };
}
