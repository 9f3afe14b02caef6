import { ChevronLeft, ChevronRight, Pin, PinOff, Play } from "lucide-react";
import { type KeyboardEvent, type PointerEvent, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Grid, Strip } from "@/api/types";
import { signed } from "@/lib/format";
import { IconButton } from "@/ui/icon-button";

const REACH = 120;
const LEAST = -REACH;
const WIDTH = 240;

interface Props {
  grid: Grid;
  strips: Strip[];
  /** Milliseconds the sound is being dragged by, on every strip alike. */
  moving: number;
  setMoving: (ms: number) => void;
  move: (ms: number) => void;
  beats: (count: number) => void;
  toOnset: (bar: number, after: boolean) => void;
  hear: (bar: number) => void;
  pin: (bar: number, on: boolean) => void;
  /** A strip that is being worked on stays, whichever bars are the worst meanwhile. */
  keep: (bar: number) => void;
}

/** Real sound around bar lines, under a line where the click will be. The sound is dragged; the grid moves the other way. */
export function Strips({ grid, strips, ...hands }: Props) {
  const { t } = useTranslation();
  return (
    <ul aria-label={t("grid.strips")} className="flex flex-col gap-[6px]">
      {strips.map((s) => (
        <Row
          key={s.bar}
          strip={s}
          off={grid.bars[s.bar - 1]?.off_ms ?? null}
          pinned={grid.pins.includes(s.bar)}
          {...hands}
        />
      ))}
    </ul>
  );
}

interface RowProps extends Omit<Props, "grid" | "strips"> {
  strip: Strip;
  /** How far the bar is from its click, in ms; null where nothing is heard. */
  off: number | null;
  pinned: boolean;
}

function Row({ strip, off, pinned, ...hands }: RowProps) {
  const { moving, setMoving, move, beats, toOnset, hear, pin, keep } = hands;
  const { t } = useTranslation();
  const { box, dragging, handlers } = useDrag(move, setMoving);
  const now = off === null ? null : off - moving;
  const keys = (e: KeyboardEvent) => {
    if (e.key !== "ArrowLeft" && e.key !== "ArrowRight") return;
    e.preventDefault();
    const way = e.key === "ArrowLeft" ? 1 : -1;
    if (e.shiftKey) beats(way);
    else move(way);
  };
  const name =
    now === null ? t("grid.stripSilent", { bar: strip.bar }) : t("grid.strip", { bar: strip.bar, ms: signed(now, 0) });
  return (
    <li className="grid grid-cols-[46px_minmax(0,1fr)_58px] items-center gap-x-2">
      <span className="small">
        {t("grid.bar")} <b className="text-ink">{strip.bar}</b>
      </span>
      <div
        ref={box}
        role="slider"
        tabIndex={0}
        aria-label={name}
        aria-valuemin={LEAST}
        aria-valuemax={REACH}
        aria-valuenow={Math.round(now ?? 0)}
        aria-valuetext={now === null ? t("grid.silent") : t("grid.ms", { ms: signed(now, 0) })}
        className={`relative h-[46px] touch-none overflow-hidden border bg-sheet ${pinned ? "border-brass border-dashed" : "border-line"} ${dragging ? "cursor-grabbing" : "cursor-grab"}`}
        {...handlers}
        onKeyDown={keys}
        onFocus={() => keep(strip.bar)}
      >
        <Sound strip={strip} moving={moving} />
        <span className="absolute inset-y-0 left-1/2 w-[2px] -translate-x-1/2 bg-ink" />
      </div>
      <span
        className={`text-right font-semibold tabular-nums ${now !== null && Math.abs(now) > 10 ? "text-clay" : "text-pine"}`}
      >
        {now === null ? "–" : t("grid.ms", { ms: signed(now, 0) })}
      </span>
      <StripActs bar={strip.bar} pinned={pinned} toOnset={toOnset} hear={hear} pin={pin} />
    </li>
  );
}

interface StripActsProps {
  bar: number;
  pinned: boolean;
  toOnset: Props["toOnset"];
  hear: Props["hear"];
  pin: Props["pin"];
}

/** To the onset before or after, heard in a loop, pinned. */
function StripActs({ bar, pinned, toOnset, hear, pin }: StripActsProps) {
  const { t } = useTranslation();
  return (
    <span className="col-start-2 flex gap-1">
      <IconButton
        label={t("grid.previousOnset", { bar: bar })}
        icon={ChevronLeft}
        size={13}
        onClick={() => toOnset(bar, false)}
      />
      <IconButton
        label={t("grid.nextOnset", { bar: bar })}
        icon={ChevronRight}
        size={13}
        onClick={() => toOnset(bar, true)}
      />
      <button
        type="button"
        className="btn bare"
        aria-label={t("grid.hearLoop", { bar: bar })}
        onClick={() => hear(bar)}
      >
        <Play size={12} aria-hidden />
        {t("grid.hear")}
      </button>
      <button
        type="button"
        className="btn bare"
        aria-pressed={pinned}
        aria-label={t(pinned ? "grid.unpin" : "grid.pin", { bar: bar })}
        title={t(pinned ? "grid.unpin" : "grid.pin", { bar: bar })}
        onClick={() => pin(bar, !pinned)}
      >
        {pinned ? <PinOff size={13} aria-hidden /> : <Pin size={13} aria-hidden />}
      </button>
    </span>
  );
}

/** The outline of the sound, moved by what the hand has dragged. */
function Sound({ strip, moving }: { strip: Strip; moving: number }) {
  const shape = `M${[...strip.high.map((v, i) => `${i} ${(25 - 23 * v).toFixed(1)}`), ...strip.low.map((v, i) => `${i} ${(25 - 23 * v).toFixed(1)}`).reverse()].join("L")}Z`;
  return (
    <svg
      aria-hidden
      viewBox={`0 0 ${WIDTH} 50`}
      preserveAspectRatio="none"
      className="absolute inset-0 h-full w-full"
      style={{ transform: `translateX(${(-moving / (2 * REACH)) * 100}%)` }}
    >
      <path d={shape} className="fill-slate" opacity={0.8} />
    </svg>
  );
}

/** Drags the sound under its line; the grid is moved once the hand lets go. */
function useDrag(move: (ms: number) => void, setMoving: (ms: number) => void) {
  const box = useRef<HTMLDivElement>(null);
  const [from, setFrom] = useState<number | null>(null);
  const perMs = () => (box.current?.clientWidth ?? WIDTH) / (2 * REACH);
  const drag = (e: PointerEvent) => from !== null && setMoving(-(e.clientX - from) / perMs());
  const drop = (e: PointerEvent) => {
    if (from === null) return;
    const ms = Math.round(-(e.clientX - from) / perMs());
    setFrom(null);
    if (ms) move(ms);
    else setMoving(0);
  };
  const handlers = {
    onPointerDown: (e: PointerEvent<HTMLElement>) => {
      e.currentTarget.setPointerCapture(e.pointerId);
      setFrom(e.clientX);
    },
    onPointerMove: drag,
    onPointerUp: drop,
    onPointerCancel: () => {
      setFrom(null);
      setMoving(0);
    },
  };
  return { box, dragging: from !== null, handlers };
}
