import { type FocusEvent, type PointerEvent, useCallback, useEffect, useRef, useState } from "react";

import type { Song } from "@/api/types";

import type { Block } from "./block";

const at = (row: number, col: number): Block => ({ row, col, toRow: row, toCol: col });

/** Row and column of a cell's element; null for what is none. */
function placeOf(element: HTMLElement | null | undefined): [number, number] | null {
  const [row, col] = (element?.dataset.cell ?? "").split(":").map(Number);
  return row === undefined || col === undefined || Number.isNaN(row) ? null : [row, col];
}

/** The chosen block of cells, and how pointer and focus choose it. */
export function useBlock(song: Song) {
  const [block, setBlock] = useState<Block>(at(0, 0));
  const area = useRef<HTMLDivElement>(null);
  const dragging = useRef(false);
  const [rows, cols] = [song.stems.length, song.sections.length];
  useEffect(() => {
    const stop = () => (dragging.current = false);
    addEventListener("pointerup", stop);
    return () => removeEventListener("pointerup", stop);
  }, []);
  const focusCell = useCallback(
    (row: number, col: number) => area.current?.querySelector<HTMLElement>(`[data-cell="${row}:${col}"]`)?.focus(),
    [],
  );
  // Wherever the focus goes the hand is, whoever sent it there.
  const onFocus = (e: FocusEvent<HTMLElement>) => {
    const place = placeOf(e.target);
    if (place) setBlock((now) => (now.toRow === place[0] && now.toCol === place[1] ? now : at(...place)));
  };
  const onPointerDown = (e: PointerEvent) => {
    if (e.button !== 0) return;
    const target = e.target as HTMLElement;
    const place = placeOf(target.closest<HTMLElement>("[data-cell]"));
    const row = target.closest<HTMLElement>("[data-row]")?.dataset.row;
    const col = target.closest<HTMLElement>("[data-col]")?.dataset.col;
    if (row !== undefined) setBlock({ row: Number(row), toRow: Number(row), col: 0, toCol: cols - 1 });
    else if (col !== undefined) setBlock({ row: 0, toRow: rows - 1, col: Number(col), toCol: Number(col) });
    else if (place) {
      setBlock(e.shiftKey ? { ...block, toRow: place[0], toCol: place[1] } : at(...place));
      dragging.current = true;
    }
  };
  const onPointerMove = (e: PointerEvent) => {
    if (!dragging.current) return;
    const under = document.elementsFromPoint(e.clientX, e.clientY);
    const place = placeOf(under.find((x): x is HTMLElement => x instanceof HTMLElement && Boolean(x.dataset.cell)));
    if (place && (place[0] !== block.toRow || place[1] !== block.toCol))
      setBlock({ ...block, toRow: place[0], toCol: place[1] });
  };
  /** Chooses a stem's cell in a section, or the whole section where the stem is not there. */
  const look = (section: string, stem: string) => {
    const index = song.sections.findIndex((s) => s.id === section);
    const col = Math.max(0, index);
    const row = song.stems.findIndex((s) => s.id === stem);
    setBlock(row < 0 ? { row: 0, toRow: rows - 1, col, toCol: col } : at(row, col));
    requestAnimationFrame(() => focusCell(Math.max(0, row), col));
  };
  return { block, setBlock, focusCell, look, area, pointer: { onFocus, onPointerDown, onPointerMove } };
}
