import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useSheet, useTonight } from "@/api/queries";
import type { Song } from "@/api/types";
import type { PageEars } from "@/hear/use-ears";
import type { ChosenLineUp } from "@/people/line-up";
import type { Edit } from "@/api/edits";

import { type Block, colsOf, copied, type Copied, kind, moved, pasted, rowsOf, within } from "./block";
import { SheetRow } from "./sheet-row";
import { SheetSide } from "./sheet-side";
import { silentTonight, standingOf } from "@/song/standing";

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
  const sheet = useSheet(song);
  const tonight = useTonight(song, lineUp.id);
  const [block, setBlock] = useState<Block>({ row: 0, col: 0, toRow: 0, toCol: 0 });
  const [kept, setKept] = useState<Copied | null>(null);
  const area = useRef<HTMLDivElement>(null);
  const dragging = useRef(false);
  const [rows, cols] = [song.stems.length, song.sections.length];
  const pictures = useMemo(() => new Map(sheet.data?.pictures.map((p) => [p.stem, p.cells])), [sheet.data]);
  const template = useMemo(
    () => `${NAMES}px ${song.sections.map((s) => `minmax(${NARROWEST}px, ${s.bars}fr)`).join(" ")}`,
    [song.sections],
  );
  const focusCell = useCallback(
    (row: number, col: number) => area.current?.querySelector<HTMLElement>(`[data-cell="${row}:${col}"]`)?.focus(),
    [],
  );
  useEffect(() => {
    const stop = () => (dragging.current = false);
    addEventListener("pointerup", stop);
    return () => removeEventListener("pointerup", stop);
  }, []);

  const chosen = within(song, block);
  const names = { stems: chosen.stems.map((s) => s.id), sections: chosen.sections.map((s) => s.id) };
  const set = (change: Record<string, unknown>) => edit("set_cells", { ...names, ...change });
  const copy = () => setKept(copied(song, block));
  const paste = kept && (() => void edit("set_cells", { cells: pasted(song, block, kept) }));
  // What the first chosen section has, in every section of its kind.
  const same = () => {
    const from = copied(song, { ...block, toCol: block.col, col: block.col });
    const like = song.sections.filter((s) => kind(s.name) === kind(chosen.sections[0]?.name ?? ""));
    const cells = chosen.stems.flatMap((stem, i) =>
      like.map((s) => ({ stem: stem.id, section: s.id, ...from.rows[i]?.[0] })),
    );
    void edit("set_cells", { cells });
  };
  const hear = (alone: boolean) => {
    const [first, last] = [chosen.sections[0], chosen.sections.at(-1)];
    if (!first || !last) return;
    const loop = last.first_bar + last.bars - first.first_bar;
    const one = chosen.stems[0]?.id;
    ears.hear({
      song: song.id,
      bar: first.first_bar,
      form: "full",
      click: false,
      cues: false,
      loop,
      ...(alone && one ? { alone: one } : { line_up: lineUp.id }),
    });
  };
  const keys = (e: React.KeyboardEvent) => {
    const target = e.target as HTMLElement;
    if (!target.dataset.cell) return;
    const next = moved(block, e.key, e.shiftKey, rows, cols);
    const held = e.ctrlKey || e.metaKey;
    if (next) {
      setBlock(next);
      focusCell(next.toRow, next.toCol);
    } else if (held && e.key.toLowerCase() === "c") copy();
    else if (held && e.key.toLowerCase() === "v") paste?.();
    else if (held && e.key.toLowerCase() === "a") setBlock({ row: 0, col: 0, toRow: rows - 1, toCol: cols - 1 });
    else if (held) return;
    else if (e.key.toLowerCase() === "t")
      void set({ tacet: !chosen.stems.every((s) => names.sections.every((x) => s.tacet.includes(x))) });
    else if (e.key === "+" || e.key === "-") void set({ by_db: e.key === "+" ? HALF_DB : -HALF_DB });
    else if (e.key === " ") hear(!e.shiftKey);
    else if (e.key === "Enter") document.getElementById("cell-level")?.focus();
    else if (e.key === "Escape")
      setBlock({ row: block.toRow, col: block.toCol, toRow: block.toRow, toCol: block.toCol });
    else return;
    e.preventDefault();
  };
  // Wherever the focus goes the hand is, whoever sent it there.
  const enter = (e: React.FocusEvent<HTMLElement>) => {
    const [row, col] = (e.target.dataset.cell ?? "").split(":").map(Number);
    if (row !== undefined && col !== undefined)
      setBlock((now) => (now.toRow === row && now.toCol === col ? now : { row, col, toRow: row, toCol: col }));
  };
  const press = (e: React.PointerEvent) => {
    if (e.button !== 0) return;
    const target = e.target as HTMLElement;
    const [row, col] = (target.closest<HTMLElement>("[data-cell]")?.dataset.cell ?? "").split(":").map(Number);
    const [line, column] = [
      target.closest<HTMLElement>("[data-row]")?.dataset.row,
      target.closest<HTMLElement>("[data-col]")?.dataset.col,
    ];
    if (line !== undefined) setBlock({ row: Number(line), toRow: Number(line), col: 0, toCol: cols - 1 });
    else if (column !== undefined) setBlock({ row: 0, toRow: rows - 1, col: Number(column), toCol: Number(column) });
    else if (row !== undefined && col !== undefined && !Number.isNaN(row)) {
      setBlock(e.shiftKey ? { ...block, toRow: row, toCol: col } : { row, col, toRow: row, toCol: col });
      dragging.current = true;
    }
  };
  const drag = (e: React.PointerEvent) => {
    if (!dragging.current) return;
    const over = document
      .elementsFromPoint(e.clientX, e.clientY)
      .find((x) => x instanceof HTMLElement && x.dataset.cell);
    const [row, col] = (over instanceof HTMLElement ? (over.dataset.cell ?? "") : "").split(":").map(Number);
    if (row !== undefined && col !== undefined && (row !== block.toRow || col !== block.toCol))
      setBlock({ ...block, toRow: row, toCol: col });
  };
  const look = (section: string, stem: string) => {
    const col = Math.max(
      0,
      song.sections.findIndex((s) => s.id === section),
    );
    const row = song.stems.findIndex((s) => s.id === stem);
    setBlock(row < 0 ? { row: 0, toRow: rows - 1, col, toCol: col } : { row, toRow: row, col, toCol: col });
    requestAnimationFrame(() => focusCell(Math.max(0, row), col));
  };
  const [[top, bottom], [left, right]] = [rowsOf(block), colsOf(block)];

  if (rows === 0) return <p className="px-5 py-4 text-soft">{t("sheet.noStems")}</p>;
  return (
    <div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_276px]">
      <div className="flex min-h-0 min-w-0 flex-col gap-2 px-5 pb-3">
        <p id="sheet-help" className="small">
          {t("sheet.help")}
        </p>
        <div className="min-h-0 overflow-auto">
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
            onKeyDown={keys}
            onFocus={enter}
            onPointerDown={press}
            onPointerMove={drag}
          >
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
            {song.stems.map((stem, row) => (
              <SheetRow
                key={stem.id}
                stem={stem}
                row={row}
                sections={song.sections}
                pictures={pictures.get(stem.id)}
                standing={standingOf(stem, tonight.data, t)}
                quiet={silentTonight(stem, tonight.data)}
                from={row >= top && row <= bottom ? left : -1}
                to={row >= top && row <= bottom ? right : -1}
                focus={row === block.toRow ? block.toCol : -1}
                template={template}
              />
            ))}
          </div>
        </div>
      </div>
      <SheetSide
        song={song}
        block={block}
        tonight={tonight.data}
        lineUp={lineUp}
        set={set}
        copy={copy}
        paste={paste}
        same={same}
        hearAlone={() => hear(true)}
        hearWith={() => hear(false)}
        look={look}
      />
    </div>
  );
}
