import { AudioWaveform } from "lucide-react";
import { memo } from "react";
import { useTranslation } from "react-i18next";

import type { Section, Stem } from "@/api/types";
import { signed } from "@/lib/format";

import { cellOf } from "./block";

interface Props {
  stem: Stem;
  row: number;
  sections: Section[];
  pictures: number[][] | undefined;
  /** What it does tonight, in words. */
  standing: string;
  quiet: boolean;
  /** First and last column chosen in this row; -1 for none. */
  from: number;
  to: number;
  /** The column that the keys are at, -1 in another row. */
  focus: number;
  template: string;
}

/** One stem through all sections; re-renders only when it changes. The sheet listens for its presses. */
export const SheetRow = memo(function SheetRow({
  stem,
  row,
  sections,
  pictures,
  standing,
  quiet,
  from,
  to,
  focus,
  template,
}: Props) {
  const { t } = useTranslation();
  return (
    <div
      role="row"
      aria-rowindex={row + 2}
      className="grid items-stretch gap-[2px]"
      style={{ gridTemplateColumns: template }}
    >
      <div
        role="rowheader"
        data-row={row}
        className={`sticky cursor-pointer left-0 z-10 flex min-w-0 flex-col justify-center bg-paper pr-2 text-left hover:underline ${quiet ? "text-soft" : ""}`}
        title={t("sheet.wholeRow", { name: stem.name })}
      >
        <b className="truncate font-[600]">{stem.name}</b>
        <span className="small truncate">{standing}</span>
      </div>
      {sections.map((section, col) => (
        <Cell
          key={section.id}
          name={stem.name}
          {...cellOf(stem, section.id)}
          treated={Boolean(stem.treatments[section.id] ?? stem.treatment)}
          section={section}
          picture={pictures?.[col]}
          row={row}
          col={col}
          chosen={col >= from && col <= to}
          focusable={col === focus}
          quiet={quiet}
        />
      ))}
    </div>
  );
});

/** Plain values, so that a cell re-renders only where it changed itself. */
interface CellProps {
  name: string;
  tacet: boolean;
  level_db: number;
  fade_beats: number;
  treated: boolean;
  section: Section;
  picture: number[] | undefined;
  row: number;
  col: number;
  chosen: boolean;
  focusable: boolean;
  quiet: boolean;
}

const Cell = memo(function Cell({
  name,
  tacet,
  level_db,
  fade_beats,
  treated,
  section,
  picture,
  row,
  col,
  chosen,
  focusable,
  quiet,
}: CellProps) {
  const { t } = useTranslation();
  const level = level_db ? signed(level_db, 1, true) : "";
  const fade = fade_beats ? t("sheet.overShort", { count: fade_beats }) : "";
  // What is read out holds what is seen, word for word.
  const base = tacet ? t("sheet.tacet") : level ? (fade ? level : t("sheet.levelTold", { level })) : t("sheet.plays");
  const state = fade
    ? `${base}${tacet || level ? " " : ", "}${t("sheet.over", { count: fade_beats })}${level && !tacet ? t("sheet.inDb") : ""}`
    : base;
  const through = treated ? `, ${t("sheet.treated")}` : "";
  const label = `${name}, ${section.mark} ${section.name}, ${state}${through}`;
  return (
    <div
      role="gridcell"
      tabIndex={focusable ? 0 : -1}
      data-cell={`${row}:${col}`}
      aria-colindex={col + 2}
      aria-selected={chosen}
      aria-label={label}
      className={`relative h-[42px] touch-none select-none overflow-hidden border ${tacet ? "border-dashed border-edge" : "border-line bg-sheet"} ${chosen ? "outline-2 -outline-offset-1 outline-ink" : ""}`}
    >
      {picture && <Picture levels={picture} opacity={tacet ? 0.08 : quiet ? 0.15 : 0.32} />}
      <span
        aria-hidden
        className={`tight absolute left-[4px] top-px whitespace-nowrap text-[11px] ${tacet ? "text-soft" : "font-[650]"}`}
      >
        {tacet ? t("sheet.tacet") : level} {fade}
      </span>
      {treated && !tacet && (
        <AudioWaveform size={11} aria-hidden className="absolute right-[3px] top-[3px] text-soft" />
      )}
    </div>
  );
});

/** What the file really holds there. */
const Picture = memo(function Picture({ levels, opacity }: { levels: number[]; opacity: number }) {
  const step = 100 / levels.length;
  const points = levels.map((v, i) => `L${((i + 0.5) * step).toFixed(1)} ${(100 - 0.72 * v).toFixed(0)}`);
  return (
    <svg aria-hidden viewBox="0 0 100 100" preserveAspectRatio="none" className="absolute inset-0 h-full w-full">
      <path d={`M0 100${points.join("")}L100 100Z`} className="fill-pine" opacity={opacity} />
    </svg>
  );
});
