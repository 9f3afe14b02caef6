import type { Song, Stem } from "@/api/types";

/** A block of the sheet: stems and sections by their places, from an anchor to where the hand is. */
export interface Block {
  row: number;
  col: number;
  toRow: number;
  toCol: number;
}

export const rowsOf = (b: Block): [number, number] => [Math.min(b.row, b.toRow), Math.max(b.row, b.toRow)];
export const colsOf = (b: Block): [number, number] => [Math.min(b.col, b.toCol), Math.max(b.col, b.toCol)];

/** The stems and sections of a block, those that are there. */
export function within(song: Song, block: Block) {
  const [[top, bottom], [left, right]] = [rowsOf(block), colsOf(block)];
  return { stems: song.stems.slice(top, bottom + 1), sections: song.sections.slice(left, right + 1) };
}

/** Where a key takes the hand; null for a key that does not move it. */
export function moved(block: Block, key: string, extend: boolean, rows: number, cols: number): Block | null {
  const step = {
    ArrowLeft: [0, -1],
    ArrowRight: [0, 1],
    ArrowUp: [-1, 0],
    ArrowDown: [1, 0],
    Home: [0, -cols],
    End: [0, cols],
    PageUp: [-rows, 0],
    PageDown: [rows, 0],
  }[key];
  if (!step) return null;
  const toRow = Math.max(0, Math.min(rows - 1, block.toRow + (step[0] ?? 0)));
  const toCol = Math.max(0, Math.min(cols - 1, block.toCol + (step[1] ?? 0)));
  return extend ? { ...block, toRow, toCol } : { row: toRow, col: toCol, toRow, toCol };
}

export interface Copied {
  rows: { tacet: boolean; level_db: number; fade_beats: number }[][];
}

export const cellOf = (stem: Stem, section: string) => ({
  tacet: stem.tacet.includes(section),
  level_db: stem.levels[section] ?? 0,
  fade_beats: stem.fades[section] ?? 0,
});

export function copied(song: Song, block: Block): Copied {
  const { stems, sections } = within(song, block);
  return { rows: stems.map((stem) => sections.map((s) => cellOf(stem, s.id))) };
}

/** What is copied, laid on the sheet from a block's corner; one cell or row fills the whole block. */
export function pasted(song: Song, block: Block, from: Copied) {
  const { stems, sections } = within(song, block);
  const [[top], [left]] = [rowsOf(block), colsOf(block)];
  const tall = Math.max(stems.length, from.rows.length);
  const wide = Math.max(sections.length, from.rows[0]?.length ?? 0);
  const cells = [];
  for (let r = 0; r < tall; r++)
    for (let c = 0; c < wide; c++) {
      const [stem, section] = [song.stems[top + r], song.sections[left + c]];
      const row = from.rows[r % from.rows.length];
      const cell = row?.[c % row.length];
      if (stem && section && cell) cells.push({ stem: stem.id, section: section.id, ...cell });
    }
  return cells;
}

/** A section's name without the number that tells it from others: Verse of Verse 2. */
export const kind = (name: string): string =>
  name
    .replace(/\s+(\d+|one|two|three|four|five|six)$/i, "")
    .trim()
    .toLocaleLowerCase();
