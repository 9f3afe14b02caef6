import { type ComponentProps, type KeyboardEvent, type Ref, useMemo } from "react";
import { useTranslation } from "react-i18next";

import type { Edit } from "@/api/edits";
import { useSheet, useTonight } from "@/api/queries";
import type { Section, Song, Tonight } from "@/api/types";
import type { PageEars } from "@/hear/use-ears";
import { LayersButton } from "@/layers/layers-dialog";
import type { ChosenLineUp } from "@/people/line-up";
import { silentTonight, standingOf } from "@/song/standing";

import { type Block, colsOf, moved, rowsOf, within } from "./block";
import { SheetRow } from "./sheet-row";
import { SheetSide } from "./sheet-side";
import { useBlock } from "./use-block";
import { type Cells, useCells } from "./use-cells";

interface Props {
  song: Song;
  edit: Edit;
  ears: PageEars;
  lineUp: ChosenLineUp;
}

const HALF_DB = 0.5;
const [NAMES, NARROWEST] = [150, 46];

/** Stems down, sections across: who plays where, and how loud. */
export function SheetView({ song, edit, ears, lineUp }: Props) {
  const { t } = useTranslation();
  const tonight = useTonight(song, lineUp.id);
  const { block, setBlock, focusCell, look, area, pointer } = useBlock(song);
  const cells = useCells({ song, block, edit, ears, lineUp });
  const [rows, cols] = [song.stems.length, song.sections.length];
  const move = (next: Block) => {
    setBlock(next);
    focusCell(next.toRow, next.toCol);
  };
  const keys = (e: KeyboardEvent) => {
    if (!(e.target as HTMLElement).dataset.cell) return;
    if (pressed({ e, block, rows, cols, cells, move, setBlock })) e.preventDefault();
  };
  return (
    <div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_276px]">
      <div className="flex min-h-0 min-w-0 flex-col gap-2 px-5 pb-3">
        <Help song={song} edit={edit} ears={ears} chosen={within(song, block).sections} />
        {rows === 0 ? (
          <p className="text-soft">{t("sheet.noStems")}</p>
        ) : (
          <div className="min-h-0 overflow-auto">
            <CellGrid song={song} block={block} tonight={tonight.data} area={area} onKeyDown={keys} {...pointer} />
          </div>
        )}
      </div>
      {rows > 0 && (
        <SheetSide
          song={song}
          block={block}
          edit={edit}
          ears={ears}
          tonight={tonight.data}
          lineUp={lineUp}
          cells={cells}
          look={look}
        />
      )}
    </div>
  );
}

type LayersProps = Pick<Props, "song" | "edit" | "ears"> & { chosen: Section[] };

/** The way to the shelf of loops; what is tried there is heard from the chosen sections on. */
function ShelfOfLayers({ song, edit, ears, chosen }: LayersProps) {
  const bar = chosen[0]?.first_bar ?? 1;
  return (
    <LayersButton
      song={song}
      edit={edit}
      chosen={chosen}
      hear={(wish) => ears.hear({ song: song.id, bar, form: "full", click: true, cues: false, ...wish })}
      hearing={ears.state !== "idle"}
      stop={ears.stop}
    />
  );
}

/** How the sheet is used by keys, and the way to layers. */
function Help(props: LayersProps) {
  const { t } = useTranslation();
  return (
    <div className="flex items-start gap-4">
      <p id="sheet-help" className="small grow">
        {t("sheet.help")}
      </p>
      <ShelfOfLayers {...props} />
    </div>
  );
}

interface CellsProps extends RowsProps, Omit<ComponentProps<"div">, "ref"> {
  area: Ref<HTMLDivElement>;
}

/** The cells, and what keys and the pointer do to them. */
function CellGrid({ song, block, tonight, area, ...listeners }: CellsProps) {
  const { t } = useTranslation();
  const [rows, cols] = [song.stems.length, song.sections.length];
  return (
    <div
      ref={area}
      role="grid"
      tabIndex={-1}
      aria-label={t("sheet.of", { title: song.title })}
      aria-describedby="sheet-help"
      aria-multiselectable
      aria-rowcount={rows + 1}
      aria-colcount={cols + 1}
      className="flex flex-col gap-[3px] pb-1 pr-1"
      style={{ minWidth: NAMES + cols * (NARROWEST + 2) }}
      {...listeners}
    >
      <Rows song={song} block={block} tonight={tonight} />
    </div>
  );
}

interface KeyArgs {
  e: KeyboardEvent;
  block: Block;
  rows: number;
  cols: number;
  cells: Cells;
  move: (to: Block) => void;
  setBlock: (to: Block) => void;
}

/** Does what a key asks for in the sheet; false where it asks for nothing. */
function pressed({ e, block, rows, cols, cells, move, setBlock }: KeyArgs): boolean {
  const next = moved(block, e.key, e.shiftKey, rows, cols);
  const key = e.key.toLowerCase();
  if (next) move(next);
  else if (e.ctrlKey || e.metaKey) {
    if (key === "c") cells.copy();
    else if (key === "v") cells.paste?.();
    else if (key === "a") setBlock({ row: 0, col: 0, toRow: rows - 1, toCol: cols - 1 });
    else return false;
  } else if (key === "t") cells.turn();
  else if (key === "+" || key === "-") void cells.set({ by_db: key === "+" ? HALF_DB : -HALF_DB });
  else if (key === " ") (e.shiftKey ? cells.hearWith : cells.hearAlone)();
  else if (key === "enter") document.getElementById("cell-level")?.focus();
  else if (key === "escape") setBlock({ ...block, row: block.toRow, col: block.toCol });
  else return false;
  return true;
}

interface RowsProps {
  song: Song;
  block: Block;
  tonight: Tonight | undefined;
}

/** The head with the sections, and a row of cells for each stem. */
function Rows({ song, block, tonight }: RowsProps) {
  const { t } = useTranslation();
  const sheet = useSheet(song);
  const pictures = useMemo(() => new Map(sheet.data?.pictures.map((p) => [p.stem, p.cells])), [sheet.data]);
  const template = useMemo(
    () => `${NAMES}px ${song.sections.map((s) => `minmax(${NARROWEST}px, ${s.bars}fr)`).join(" ")}`,
    [song.sections],
  );
  const [[top, bottom], [left, right]] = [rowsOf(block), colsOf(block)];
  return (
    <>
      <Head song={song} template={template} />
      {song.stems.map((stem, row) => (
        <SheetRow
          key={stem.id}
          stem={stem}
          row={row}
          sections={song.sections}
          pictures={pictures.get(stem.id)}
          standing={standingOf(stem, tonight, t)}
          quiet={silentTonight(stem, tonight)}
          from={row >= top && row <= bottom ? left : -1}
          to={row >= top && row <= bottom ? right : -1}
          focus={row === block.toRow ? block.toCol : -1}
          template={template}
        />
      ))}
    </>
  );
}

function Head({ song, template }: { song: Song; template: string }) {
  const { t } = useTranslation();
  return (
    <div
      role="row"
      aria-rowindex={1}
      className="sticky top-0 z-20 grid gap-[2px] bg-paper pb-[2px]"
      style={{ gridTemplateColumns: template }}
    >
      <span role="columnheader" className="sticky left-0 z-10 bg-paper">
        <span className="sr-only">{t("stems.one")}</span>
      </span>
      {song.sections.map((s, col) => (
        <div
          key={s.id}
          role="columnheader"
          data-col={col}
          aria-colindex={col + 2}
          title={t("sheet.wholeColumn", { name: s.name })}
          className={`k${s.colour} h-[36px] cursor-pointer overflow-hidden border-t-4 border-[var(--k)] bg-[var(--kb)] px-[5px] text-left font-[650] hover:underline`}
        >
          <span className="block leading-[14px]">{s.mark}</span>
          <span className="tight block truncate text-[12px] font-[500] leading-[14px]">{s.name}</span>
        </div>
      ))}
    </div>
  );
}
