import type { TFunction } from "i18next";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { RANGES } from "@/generated/core";
import { dbfs, signed } from "@/lib/format";

import { levelAt, placeOf, type LevelScale } from "./parts";

interface Props {
  name: string;
  db: number | null;
  peak: number;
  scale?: LevelScale;
  set: (db: number | null) => void;
  by: (db: number) => void;
}

/** A finger that is drawn along sends a level so often at most. */
const SEND_MS = 70;
/** The meter reaches from here to full scale. */
const FLOOR_DB = 60;
const STEPS: Record<string, number> = {
  ArrowRight: 1,
  ArrowUp: 1,
  ArrowLeft: -1,
  ArrowDown: -1,
  PageUp: 6,
  PageDown: -6,
};

/** A level by hand on its side: the thin line is the prepared level, the meter lies inside. */
export function PartLevel({ name, db, peak, scale = "level", set, by }: Props) {
  const { t } = useTranslation();
  const { drawn, bar, handlers } = useDrawn(set, scale);
  const range = { level: RANGES.HAND_DB, tone: RANGES.TONE_DB, sweep: RANGES.SWEEP_PERCENT }[scale];
  useWheel(bar, by);
  const shown = drawn === undefined ? db : drawn;
  const key = (e: React.KeyboardEvent) => {
    const step = STEPS[e.key];
    if (step !== undefined) by(e.shiftKey ? step / 10 : step);
    else if (e.key === "Home") set(scale === "level" ? null : range.min);
    else if (e.key === "End") set(range.max);
    else if (e.key === "Delete") set(0);
    else return;
    e.preventDefault();
    e.stopPropagation();
  };
  return (
    <div
      ref={bar}
      role="slider"
      tabIndex={0}
      aria-label={t("stage.parts.level", { name })}
      aria-valuemin={range.min}
      aria-valuemax={range.max}
      aria-valuenow={shown ?? range.min}
      aria-valuetext={shown === null ? t("stage.parts.off") : inWords(shown, scale, t)}
      className="relative h-[48px] cursor-ew-resize touch-none bg-line2"
      onKeyDown={key}
      {...handlers}
    >
      <i
        className="absolute inset-y-0 left-0 border-r-4 border-pine bg-pinebg"
        style={{ width: `${placeOf(shown, scale) * 100}%` }}
      />
      <i
        className="absolute bottom-0 left-0 h-[8px] bg-pine"
        style={{ width: `${Math.max(0, Math.min(1, 1 + dbfs(peak) / FLOOR_DB)) * 100}%` }}
        data-peak={peak > 0 ? dbfs(peak).toFixed(1) : ""}
      />
      <i className="absolute inset-y-0 w-[2px] bg-ink opacity-60" style={{ left: `${placeOf(0, scale) * 100}%` }} />
    </div>
  );
}

/** A level, or how far a sweep is. */
const inWords = (db: number, scale: LevelScale, t: TFunction) =>
  scale === "sweep" ? t("stage.parts.percent", { percent: db }) : t("stage.parts.db", { db: signed(db, 1, true) });

/** The level that a finger draws, until the engine says it; undefined where none does. */
function useDrawn(set: (db: number | null) => void, scale: LevelScale) {
  const bar = useRef<HTMLDivElement>(null);
  const [drawn, setDrawn] = useState<number | null>();
  const sent = useRef(0);
  const at = (e: React.PointerEvent) => {
    const box = bar.current?.getBoundingClientRect();
    return box ? levelAt((e.clientX - box.left) / box.width, scale) : 0;
  };
  const to = (level: number | null, last: boolean) => {
    setDrawn(level);
    const now = performance.now();
    if (!last && now - sent.current < SEND_MS) return;
    sent.current = now;
    set(level);
  };
  // The engine's own figure is shown again once it can have it.
  useEffect(() => {
    if (drawn === undefined) return undefined;
    const timer = setTimeout(() => setDrawn(undefined), 600);
    return () => clearTimeout(timer);
  }, [drawn]);
  const handlers = {
    onPointerDown: (e: React.PointerEvent) => {
      if (e.button !== 0) return;
      bar.current?.setPointerCapture(e.pointerId);
      to(at(e), true);
    },
    onPointerMove: (e: React.PointerEvent) => {
      if (bar.current?.hasPointerCapture(e.pointerId)) to(at(e), false);
    },
    onPointerUp: (e: React.PointerEvent) => {
      if (bar.current?.hasPointerCapture(e.pointerId)) to(at(e), true);
    },
  };
  return { drawn, bar, handlers };
}

/** A notch of the wheel is a decibel; what lies behind does not scroll. */
function useWheel(bar: React.RefObject<HTMLDivElement | null>, by: (db: number) => void) {
  const latest = useRef(by);
  latest.current = by;
  useEffect(() => {
    const element = bar.current;
    const turned = (e: WheelEvent) => {
      // The list is scrolled beside the levels.
      if (Math.abs(e.deltaX) > Math.abs(e.deltaY)) return;
      e.preventDefault();
      latest.current(e.deltaY < 0 ? 1 : -1);
    };
    element?.addEventListener("wheel", turned, { passive: false });
    return () => element?.removeEventListener("wheel", turned);
  }, [bar]);
}
