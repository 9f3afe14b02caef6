import { memo, useLayoutEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Bar, Section } from "@/api/types";
import { type Places, useHeardBar } from "@/hear/places";
import { sign } from "@/lib/chords";

import { Playhead } from "./playhead";
import type { Selection } from "./use-selection";

const ROW = 40;
const COUNTS = [8, 12, 16, 20, 24, 32, 40, 48, 64, 80, 100, 128, 160, 200];

export interface Passage {
  section: Section;
  key: string;
}

interface Props {
  passages: Passage[];
  bars: Bar[];
  chords: string[];
  selection: Selection;
  places: Places;
}

/** The whole song on one screen: bars run on from row to row, rehearsal marks stand where sections begin. */
export function WholeChart({ passages, bars, chords, selection, places }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const [height, setHeight] = useState(560);
  const heard = useHeardBar(places);
  useLayoutEffect(() => {
    const element = box.current?.parentElement;
    if (!element) return;
    const watch = new ResizeObserver(([entry]) => entry && setHeight(entry.contentRect.height));
    watch.observe(element);
    return () => watch.disconnect();
  }, []);
  const cells = useMemo(
    () =>
      passages.flatMap(({ section, key }) =>
        Array.from({ length: section.bars }, (_, i) => ({
          section,
          first: i === 0,
          key: `${key}-${i}`,
          bar: section.first_bar + i,
        })),
      ),
    [passages],
  );
  const rows = Math.max(1, Math.floor((height - 24) / ROW));
  const columns = COUNTS.find((n) => Math.ceil(cells.length / n) <= rows) ?? Math.ceil(cells.length / rows);
  const span = selection.span;
  return (
    <div ref={box} className="grid gap-y-[3px]" style={{ gridTemplateColumns: `repeat(${columns}, minmax(0, 1fr))` }}>
      {cells.map(({ section, first, key, bar }) => {
        const data = bars[bar - 1];
        return data ? (
          <Cell
            key={key}
            bar={data}
            section={section}
            first={first}
            chord={columns <= 24 ? (chords[bar - 1] ?? "") : ""}
            chosen={span !== null && bar >= span.first && bar <= span.last}
            focusable={bar === (selection.head ?? 1)}
            start={selection.start}
            extend={selection.extend}
            places={bar === heard ? places : null}
          />
        ) : null;
      })}
    </div>
  );
}

interface CellProps {
  bar: Bar;
  section: Section;
  first: boolean;
  chord: string;
  chosen: boolean;
  focusable: boolean;
  start: (bar: number) => void;
  extend: (bar: number) => void;
  places: Places | null;
}

const Cell = memo(function Cell({ bar, section, first, chord, chosen, focusable, start, extend, places }: CellProps) {
  const { t } = useTranslation();
  const loud = Math.max(0, ...bar.sound) ** 0.6;
  return (
    <div className={`k${section.colour} relative pt-[15px]`}>
      {first && (
        <span className="absolute left-0 top-0 z-10 flex items-center gap-1 whitespace-nowrap text-[10.5px] font-[650] leading-[14px]">
          <span className="border border-[var(--k)] bg-[var(--kb)] px-[3px] text-[var(--k)]">{section.mark}</span>
          <span className="tight">{section.name}</span>
        </span>
      )}
      <button
        type="button"
        data-bar={bar.bar}
        tabIndex={focusable ? 0 : -1}
        aria-pressed={chosen}
        aria-label={[t("song.barLabel", { bar: bar.bar, section: section.name, meter: bar.meter }), chord]
          .filter(Boolean)
          .join(", ")}
        onPointerDown={(e) => {
          if (e.button !== 0) return;
          e.currentTarget.releasePointerCapture(e.pointerId);
          if (e.shiftKey) extend(bar.bar);
          else start(bar.bar);
        }}
        onPointerEnter={(e) => e.buttons === 1 && extend(bar.bar)}
        className={`relative block h-[22px] w-full touch-pan-y select-none overflow-hidden border-r border-r-edge ${first ? "border-l-2 border-l-ink" : ""} ${
          places ? "bg-brassbg" : chosen ? "bg-pinebg outline-2 -outline-offset-2 outline-pine" : "bg-[var(--kb)]"
        }`}
      >
        <span
          aria-hidden
          className="absolute inset-x-0 bottom-0 bg-[var(--k)] opacity-20"
          style={{ height: `${loud * 100}%` }}
        />
        {chord && (
          <span className="tight absolute inset-x-[3px] top-[3px] truncate text-left text-[10.5px] font-[650]">
            {sign(chord)}
          </span>
        )}
        {places && <Playhead places={places} bar={bar.bar} />}
      </button>
    </div>
  );
});
