import { type PointerEvent, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Section } from "@/api/types";

import type { Edit } from "@/api/edits";

/** The bar under a pointer, 0 where there is none. */
function barAt(x: number, y: number): number {
  const cell = document.elementsFromPoint(x, y).find((e) => e instanceof HTMLElement && e.dataset.bar);
  return cell instanceof HTMLElement ? Number(cell.dataset.bar) : 0;
}

interface Props {
  before: Section | undefined;
  section: Section;
  /** Bars of the song, as far as a locked section may be moved. */
  songBars: number;
  edit: Edit;
}

/**
 * Where a section starts, to be dragged over the bars or moved by arrow keys. Past a neighbour it
 * stops: each keeps a bar at least.
 */
export function Boundary({ before, section, songBars, edit }: Props) {
  const { t } = useTranslation();
  // Where a neighbour is locked the server moves it along, as far as there is room.
  const low = before?.locked ? 2 : (before?.first_bar ?? 0) + 1;
  const high = section.locked ? songBars : section.first_bar + section.bars - 1;
  const clamp = (bar: number) => Math.min(high, Math.max(low, bar));
  const move = (first: number) => {
    if (first !== section.first_bar) void edit("move_boundary", { section: section.id, first });
  };
  const { to, handlers } = useBarDrag(section.first_bar, clamp, move);
  if (!before) return null;
  return (
    <span
      role="slider"
      tabIndex={0}
      aria-label={t("section.startOf", { name: section.name })}
      aria-valuenow={to ?? section.first_bar}
      aria-valuemin={low}
      aria-valuemax={high}
      aria-valuetext={t("section.startsAtBar", { bar: to ?? section.first_bar })}
      className="group absolute -left-[7px] bottom-0 top-[12px] z-10 w-[13px] cursor-ew-resize touch-none outline-offset-0"
      onKeyDown={(e) => {
        const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key];
        if (by === undefined) return;
        e.preventDefault();
        e.stopPropagation();
        move(clamp(section.first_bar + by));
      }}
      {...handlers}
    >
      <span
        aria-hidden
        className={`absolute inset-y-0 left-[5px] w-[3px] ${to === null ? "bg-transparent group-hover:bg-[var(--k)] group-focus-visible:bg-[var(--k)]" : "bg-[var(--k)]"}`}
      />
      {to !== null && (
        <span className="tag absolute -top-[10px] left-3 z-20 whitespace-nowrap border border-line bg-sheet!">
          {t("section.startsAtBar", { bar: to })}
        </span>
      )}
    </span>
  );
}

/** Dragging over the bars: where it has come to, and what is called once it is let go. */
function useBarDrag(from: number, clamp: (bar: number) => number, move: (bar: number) => void) {
  const [to, setTo] = useState<number | null>(null);
  const dragging = useRef(false);
  const handlers = {
    onPointerDown: (e: PointerEvent<HTMLElement>) => {
      if (e.button !== 0) return;
      e.preventDefault();
      e.stopPropagation();
      e.currentTarget.setPointerCapture(e.pointerId);
      dragging.current = true;
      setTo(from);
    },
    onPointerMove: (e: PointerEvent<HTMLElement>) => {
      if (!dragging.current) return;
      const bar = barAt(e.clientX, e.clientY);
      if (bar) setTo(clamp(bar));
    },
    onPointerUp: () => {
      if (dragging.current && to !== null) move(to);
      dragging.current = false;
      setTo(null);
    },
    onPointerCancel: () => {
      dragging.current = false;
      setTo(null);
    },
  };
  return { to, handlers };
}
