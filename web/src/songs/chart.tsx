import { memo, useMemo, useRef } from "react";
import { useTranslation } from "react-i18next";

import type { Bar, Chart as ChartData, Section, Song } from "@/api/types";
import type { Place } from "@/hear/ears";
import { beatUnit, grouping, tempo } from "@/lib/format";

import { BarCell } from "./bar-cell";
import { SectionHead } from "./section-head";
import type { Edit } from "./use-edits";
import type { Selection } from "./use-selection";

interface Props {
  song: Song;
  chart: ChartData;
  form: string;
  edit: Edit;
  selection: Selection;
  place: Place | null;
  hearFrom: (bar: number) => void;
}

/** The song as musicians read it: sections with rehearsal marks, bars in rows. */
export function Chart({ song, chart, form, edit, selection, place, hearFrom }: Props) {
  const { t } = useTranslation();
  const area = useRef<HTMLDivElement>(null);
  const marks = useMemo(() => barMarks(chart.bars, song), [chart.bars, song]);
  const calls = useMemo(() => new Map(chart.calls.map((c) => [c.bar, c.text])), [chart.calls]);
  const shown = useMemo(() => sectionsOf(song, form), [song, form]);
  const head = selection.head ?? 1;

  const focus = (bar: number) => area.current?.querySelector<HTMLElement>(`[data-bar="${bar}"]`)?.focus();
  const keys = (e: React.KeyboardEvent) => {
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: 8, ArrowUp: -8, Home: -song.bars, End: song.bars }[e.key];
    if (step !== undefined) {
      e.preventDefault();
      const to = Math.min(song.bars, Math.max(1, head + step));
      if (e.shiftKey) selection.extend(to);
      else selection.start(to);
      focus(to);
    } else if (e.key === "Enter") {
      e.preventDefault();
      document.getElementById("section-name")?.focus();
    } else if (e.key === " ") {
      e.preventDefault();
      hearFrom(head);
    } else if (e.key === "Escape") selection.clear();
  };

  return (
    <div ref={area} className="min-h-0 flex-1 overflow-auto px-5 pb-4" role="group" aria-label={t("song.chartOf", { title: song.title })} aria-describedby="chart-help" onKeyDown={keys}>
      <p id="chart-help" className="sr-only">
        {t("song.chartHelp")}
      </p>
      <datalist id="usual-sections">
        {t("sectionNames", { returnObjects: true }).map((name) => (
          <option key={name} value={name} />
        ))}
      </datalist>
      {shown.map(({ section, ending, key }, i) => (
        <SectionRows
          key={key}
          section={section}
          ending={ending}
          bars={chart.bars}
          marks={marks}
          calls={calls}
          edit={edit}
          selection={selection}
          song={song}
          index={i}
          editable={form === "full"}
          spanFirst={overlap(selection.span?.first, section, 0)}
          spanLast={overlap(selection.span?.last, section, 1)}
          focusable={head >= section.first_bar && head < section.first_bar + section.bars ? head : 0}
          here={place && place.bar >= section.first_bar && place.bar < section.first_bar + section.bars ? place.bar : 0}
          phase={place && place.bar >= section.first_bar && place.bar < section.first_bar + section.bars ? place.phase : 0}
        />
      ))}
    </div>
  );
}

/** The part of the chosen bars that lies in a section, so that other sections need not be drawn anew. */
function overlap(bar: number | undefined, section: Section, side: 0 | 1): number {
  if (bar === undefined) return side ? 0 : 1;
  const last = section.first_bar + section.bars - 1;
  return side ? Math.min(bar, last) : Math.max(bar, section.first_bar);
}

function sectionsOf(song: Song, form: string): { section: Section; ending: Section["ending"]; key: string }[] {
  if (form === "full") return song.sections.map((section) => ({ section, ending: section.ending, key: section.id }));
  const byId = new Map(song.sections.map((s) => [s.id, s]));
  const steps = song.forms.find((f) => f.id === form)?.steps ?? [];
  return steps.flatMap((step, i) => {
    const section = byId.get(step.section);
    return section ? [{ section, ending: step.ending, key: `${i}-${section.id}` }] : [];
  });
}

/** What stands above a bar where tempo or metre change. */
function barMarks(bars: Bar[], song: Song): Map<number, string> {
  const found = new Map<number, string>();
  const tempos = new Map(song.tempo.map((t) => [t.bar, t]));
  let before = "";
  for (const bar of bars) {
    const parts = grouping(bar.grouping);
    const meter = parts && bar.meter !== "6/8" ? `${bar.meter} · ${parts}` : bar.meter;
    const change = tempos.get(bar.bar);
    const texts = [change ? `${beatUnit(change.unit)} = ${tempo(change.bpm)}` : "", meter !== before ? meter : ""].filter(Boolean);
    if (texts.length) found.set(bar.bar, texts.join(" · "));
    before = meter;
  }
  return found;
}

interface RowsProps {
  song: Song;
  section: Section;
  ending: Section["ending"];
  index: number;
  bars: Bar[];
  marks: Map<number, string>;
  calls: Map<number, string>;
  edit: Edit;
  selection: Selection;
  editable: boolean;
  spanFirst: number;
  spanLast: number;
  focusable: number;
  here: number;
  phase: number;
}

const SectionRows = memo(
  function SectionRows({ song, section, ending, index, bars, marks, calls, edit, selection, editable, spanFirst, spanLast, focusable, here, phase }: RowsProps) {
    const last = section.first_bar + section.bars - 1;
    const repeated = ending.kind === "vamp" || ending.kind === "repeat";
    return (
      <section className={`k${section.colour} mb-[7px] grid grid-cols-[152px_minmax(0,1fr)] ${ending.kind === "cut" ? "line-through" : ""}`} aria-label={`${section.mark} ${section.name}`}>
        <SectionHead song={song} section={section} ending={ending} index={index} edit={edit} editable={editable} />
        <div className="grid grid-cols-8 gap-y-[2px]">
          {bars.slice(section.first_bar - 1, last).map((bar) => (
            <BarCell
              key={bar.bar}
              bar={bar}
              section={section.name}
              mark={marks.get(bar.bar)}
              call={calls.get(bar.bar)}
              leads={(bar.bar - section.first_bar) % 8 === 0}
              opens={repeated && bar.bar === section.first_bar}
              closes={bar.bar !== last ? "" : repeated ? "repeat" : ending.kind === "fine" ? "fine" : ""}
              chosen={bar.bar >= spanFirst && bar.bar <= spanLast}
              focusable={bar.bar === focusable}
              start={selection.start}
              extend={selection.extend}
              phase={bar.bar === here ? phase : -1}
            />
          ))}
        </div>
      </section>
    );
  },
  (a, b) => (Object.keys(a) as (keyof RowsProps)[]).every((k) => k === "selection" || Object.is(a[k], b[k])),
);
