import { memo, useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Bar, Chart as ChartData, Section, Song } from "@/api/types";
import { type Places, useHeardBar } from "@/hear/places";
import { partOf } from "@/song/part-of";
import { beatUnit, grouping, tempo as shownTempo } from "@/lib/format";

import { BarCell } from "./bar-cell";
import { Boundary } from "./boundary";
import { SectionDialog } from "./section-dialog";
import { SectionHead } from "./section-head";
import { SectionWords } from "@/ui/section-words";
import type { Edit } from "@/api/edits";
import type { Selection, Span } from "./use-selection";
import { WholeChart } from "./whole-chart";
import { LOOKS, type Zoom } from "./zoom";

interface Props {
  song: Song;
  chart: ChartData;
  /** Bars that were marked in rehearsal. */
  flagged: number[];
  form: string;
  edit: Edit;
  selection: Selection;
  places: Places;
  hearFrom: (bar: number) => void;
  hearLoop: (bar: number, bars: number) => void;
  zoom: Zoom;
  stepZoom: (by: 1 | -1) => void;
  follow: boolean;
}

/** The song as musicians read it: sections with rehearsal marks, bars in rows. */
export function Chart(props: Props) {
  const { song, chart, form, edit, selection, places, hearFrom, zoom, stepZoom, follow } = props;
  const { t } = useTranslation();
  const area = useRef<HTMLDivElement>(null);
  const { sections, forms } = song;
  const shown = useMemo(() => sectionsOf(sections, forms, form), [sections, forms, form]);
  const [opened, setOpened] = useState<string | null>(null);
  const section = sections.find((s) => s.id === opened);
  const heard = useHeardBar(places);
  useFollowing(area, follow ? heard : 0);

  const keys = useBarKeys({ area, song, selection, zoom, stepZoom, hearFrom });

  return (
    // The keys of the bars inside it, which have the focus.
    // eslint-disable-next-line jsx-a11y/no-noninteractive-element-interactions
    <div
      ref={area}
      className="min-h-0 flex-1 overflow-auto px-5 pb-4"
      role="group"
      aria-label={t("song.chartOf", { title: song.title })}
      aria-describedby="chart-help"
      onKeyDown={keys}
    >
      <p id="chart-help" className="sr-only">
        {t("song.chartHelp")}
      </p>
      {zoom === 0 ? (
        <WholeChart passages={shown} bars={chart.bars} chords={song.chords} selection={selection} places={places} />
      ) : (
        <Passages {...props} passages={shown} heard={heard} open={form === "full" ? setOpened : null} />
      )}
      {section && (
        <SectionDialog
          song={song}
          section={section}
          index={sections.indexOf(section)}
          edit={edit}
          onClose={() => setOpened(null)}
        />
      )}
    </div>
  );
}

interface PassagesProps extends Props {
  passages: ReturnType<typeof sectionsOf>;
  /** The bar that is heard, 0 for none. */
  heard: number;
  open: ((section: string) => void) | null;
}

/** Every section of the form with its bars in rows. */
function Passages({
  song,
  chart,
  flagged,
  edit,
  selection,
  places,
  hearLoop,
  zoom,
  passages,
  heard,
  open,
}: PassagesProps) {
  const marks = useMemo(() => barMarks(chart.bars, song.tempo), [chart.bars, song.tempo]);
  const calls = useMemo(() => spokenIn(chart.calls), [chart.calls]);
  // A section re-renders when the data of its own bars changes, so it gets only that.
  const within = (of: Map<number, string>, s: Section) =>
    Array.from({ length: s.bars }, (_, i) => of.get(s.first_bar + i) ?? "").join("|");
  const head = selection.head ?? 1;
  const inside = (bar: number, s: Section) => (bar >= s.first_bar && bar < s.first_bar + s.bars ? bar : 0);
  return passages.map(({ section, ending, key, index }) => (
    <SectionRows
      key={key}
      section={section}
      ending={ending}
      bars={chart.bars}
      chords={song.chords.slice(section.first_bar - 1, section.first_bar - 1 + section.bars).join("|")}
      marks={within(marks, section)}
      calls={within(calls, section)}
      flags={flagged.filter((bar) => inside(bar, section)).join("|")}
      edit={edit}
      selection={selection}
      before={song.sections[index - 1]}
      songBars={section.locked ? song.bars : 0}
      open={open}
      zoom={zoom}
      {...overlap(selection.span, section)}
      focusable={inside(head, section)}
      here={inside(heard, section)}
      places={places}
      hearLoop={hearLoop}
    />
  ));
}

interface KeyArgs extends Pick<Props, "song" | "selection" | "zoom" | "stepZoom" | "hearFrom"> {
  area: React.RefObject<HTMLElement | null>;
}

/** Arrow keys choose bars, Enter names them, space plays from them, + and - change the size. */
function useBarKeys({ area, song, selection, zoom, stepZoom, hearFrom }: KeyArgs) {
  const head = selection.head ?? 1;
  const focus = (bar: number) => area.current?.querySelector<HTMLElement>(`[data-bar="${bar}"]`)?.focus();
  return (e: React.KeyboardEvent) => {
    const row = zoom || 8;
    const step = { ArrowRight: 1, ArrowLeft: -1, ArrowDown: row, ArrowUp: -row, Home: -song.bars, End: song.bars }[
      e.key
    ];
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
    } else if (e.key === "+" || e.key === "-") {
      e.preventDefault();
      stepZoom(e.key === "+" ? 1 : -1);
    } else if (e.key === "Escape") selection.clear();
  };
}

/** Keeps the bar being heard on the screen, without fighting the hand that scrolls elsewhere meanwhile. */
function useFollowing(area: React.RefObject<HTMLElement | null>, heard: number) {
  useEffect(() => {
    if (!heard || !area.current) return;
    const cell = area.current.querySelector(`[data-bar="${heard}"]`);
    const [box, here] = [area.current.getBoundingClientRect(), cell?.getBoundingClientRect()];
    if (cell && here && (here.bottom > box.bottom - 60 || here.top < box.top)) cell.scrollIntoView({ block: "center" });
  }, [area, heard]);
}

/** The part of the chosen bars that lies in a section, so that other sections need not re-render. */
function overlap(span: Span | null, section: Section): { spanFirst: number; spanLast: number } {
  const last = section.first_bar + section.bars - 1;
  if (!span || span.last < section.first_bar || span.first > last) return { spanFirst: 1, spanLast: 0 };
  return { spanFirst: Math.max(span.first, section.first_bar), spanLast: Math.min(span.last, last) };
}

function sectionsOf(
  sections: Section[],
  forms: Song["forms"],
  form: string,
): { section: Section; ending: Section["ending"]; key: string; index: number }[] {
  if (form === "full")
    return sections.map((section, index) => ({ section, ending: section.ending, key: section.id, index }));
  const byId = new Map(sections.map((s) => [s.id, s]));
  const steps = forms.find((f) => f.id === form)?.steps ?? [];
  return steps.flatMap((step, index) => {
    const section = byId.get(step.section);
    return section
      ? [{ section: partOf(step, section), ending: step.ending, key: `${index}-${section.id}`, index }]
      : [];
  });
}

/** The bar that is heard at a moment of the stems, in seconds; one that begins there is a bar already. */
export function barAt(bars: Bar[], seconds: number): number {
  return Math.max(1, bars.filter((b) => b.start_s <= seconds + 0.05).length);
}

/** What is spoken in each bar, free cues before the call that counts out of it. */
function spokenIn(calls: ChartData["calls"]): Map<number, string> {
  const found = new Map<number, string>();
  for (const c of [...calls].sort((a, b) => Number(a.beat === 0) - Number(b.beat === 0)))
    found.set(c.bar, [found.get(c.bar), c.text].filter(Boolean).join(" · "));
  return found;
}

/** What stands above a bar where tempo or metre change. */
function barMarks(bars: Bar[], tempo: Song["tempo"]): Map<number, string> {
  const found = new Map<number, string>();
  const tempos = new Map(tempo.map((t) => [t.bar, t]));
  let before = "";
  for (const bar of bars) {
    const parts = grouping(bar.grouping);
    const meter = parts && bar.meter !== "6/8" ? `${bar.meter} · ${parts}` : bar.meter;
    const change = tempos.get(bar.bar);
    const texts = [
      change ? `${beatUnit(change.unit)} = ${shownTempo(change.bpm)}` : "",
      meter !== before ? meter : "",
    ].filter(Boolean);
    if (texts.length) found.set(bar.bar, texts.join(" · "));
    before = meter;
  }
  return found;
}

interface RowsProps {
  section: Section;
  before: Section | undefined;
  /** Bars of the song, as far as its start may be moved where the section is locked. */
  songBars: number;
  ending: Section["ending"];
  bars: Bar[];
  /** What is written in the section's bars and above them, with | between bars. */
  chords: string;
  marks: string;
  calls: string;
  /** Bars with a flag. */
  flags: string;
  edit: Edit;
  selection: Selection;
  open: ((section: string) => void) | null;
  zoom: Zoom;
  spanFirst: number;
  spanLast: number;
  focusable: number;
  here: number;
  places: Places;
  hearLoop: (bar: number, bars: number) => void;
}

const COLUMNS: Record<Zoom, string> = {
  0: "",
  16: "grid-cols-16",
  8: "grid-cols-8",
  4: "grid-cols-4",
  2: "grid-cols-2",
  1: "grid-cols-1",
};
// Re-renders only for these: handlers are read when they are called.
const READ_LATE: (keyof RowsProps)[] = ["selection", "hearLoop", "edit"];

const SectionRows = memo(
  function SectionRows(p: RowsProps) {
    const { section, ending, bars, edit, selection, open, zoom } = p;
    const [chords, marks, calls] = [p.chords.split("|"), p.marks.split("|"), p.calls.split("|")];
    const flags = p.flags.split("|");
    const last = section.first_bar + section.bars - 1;
    const repeated = ending.kind === "vamp" || ending.kind === "repeat";
    const rows = Math.ceil(section.bars / zoom);
    return (
      <section
        className={`k${section.colour} mb-[7px] grid grid-cols-[152px_minmax(0,1fr)] [contain-intrinsic-size:auto_var(--tall)] [content-visibility:auto] ${ending.kind === "cut" ? "line-through" : ""}`}
        style={{ "--tall": `${rows * (LOOKS[zoom].height + 18)}px` } as React.CSSProperties}
        aria-label={`${section.mark} ${section.name}`}
      >
        <SectionHead section={section} ending={ending} open={open} hearLoop={p.hearLoop} />
        <div className="min-w-0 pl-[7px]">
          <div className={`relative grid gap-y-[2px] ${COLUMNS[zoom]}`}>
            {bars.slice(section.first_bar - 1, last).map((bar) => (
              <BarCell
                key={bar.bar}
                bar={bar.bar}
                meter={bar.meter}
                beats={bar.beats}
                sound={bar.sound}
                section={section.name}
                chords={chords[bar.bar - section.first_bar] ?? ""}
                mark={marks[bar.bar - section.first_bar] || undefined}
                call={calls[bar.bar - section.first_bar] || undefined}
                flag={flags.includes(String(bar.bar))}
                zoom={zoom}
                leads={(bar.bar - section.first_bar) % zoom === 0}
                opens={repeated && bar.bar === section.first_bar}
                closes={bar.bar !== last ? "" : repeated ? "repeat" : ending.kind === "fine" ? "fine" : ""}
                chosen={bar.bar >= p.spanFirst && bar.bar <= p.spanLast}
                focusable={bar.bar === p.focusable}
                start={selection.start}
                extend={selection.extend}
                places={bar.bar === p.here ? p.places : null}
              />
            ))}
            {open && (
              <div className="absolute left-0 top-0" style={{ height: LOOKS[zoom].height + 16 }}>
                <Boundary before={p.before} section={section} songBars={p.songBars} edit={edit} />
              </div>
            )}
          </div>
          <SectionWords words={section.words} />
        </div>
      </section>
    );
  },
  (a, b) => (Object.keys(a) as (keyof RowsProps)[]).every((k) => READ_LATE.includes(k) || Object.is(a[k], b[k])),
);
