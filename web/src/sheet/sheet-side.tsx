import { ClipboardPaste, Copy, Minus, Play, Plus } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Edit } from "@/api/edits";
import type { Section, Song, Stem, Tonight } from "@/api/types";
import { LayerFacts } from "@/layers/layer-facts";
import { signed, typed } from "@/lib/format";
import type { PageEars } from "@/hear/use-ears";
import type { ChosenLineUp } from "@/people/line-up";
import { TreatmentButton } from "@/tone/treatment-dialog";
import { Typed } from "@/ui/typed";

import { type Block, cellOf, within } from "./block";
import { standingOf } from "@/song/standing";
import type { Cells } from "./use-cells";

const BEATS = [0, 1, 2, 3, 4, 6, 8, 12, 16, 32];

interface Props {
  song: Song;
  block: Block;
  edit: Edit;
  ears: PageEars;
  tonight: Tonight | undefined;
  lineUp: ChosenLineUp;
  cells: Cells;
  look: (section: string, stem: string) => void;
}

/** What the chosen cells do, what sounds tonight, and what is worth a look. */
export function SheetSide({ song, block, edit, ears, tonight, lineUp, cells, look }: Props) {
  const { t } = useTranslation();
  const { stems, sections } = within(song, block);
  const [stem, section] = [stems[0], sections[0]];
  return (
    <aside
      aria-label={t("sheet.side")}
      className="flex min-h-0 flex-col gap-4 overflow-auto border-l border-line bg-sheet px-4 py-[14px]"
    >
      {stem && section && (
        <section aria-label={t("sheet.chosen")} className="flex flex-col gap-2">
          <h2>
            {stems.length * sections.length > 1
              ? t("sheet.several", { stems: t("stems.title", { count: stems.length }), count: sections.length })
              : `${stem.name} · ${section.mark} ${section.name}`}
          </h2>
          <CellsSay stems={stems} sections={sections.map((s) => s.id)} />
          <PlaysOrTacet stems={stems} sections={sections} set={cells.set} />
          <CellLevel stem={stem} section={section} set={cells.set} />
          <CellFade stem={stem} section={section} set={cells.set} />
          <TreatmentButton {...{ song, edit, ears, stems, sections }} />
          <BlockActs section={section} {...cells} />
        </section>
      )}
      {stem && stems.length === 1 && <LayerFacts stem={stem} edit={edit} />}
      <OutOfTheOrdinary song={song} tonight={tonight} lineUp={lineUp} />
      <Looks song={song} tonight={tonight} look={look} />
    </aside>
  );
}

/** What the chosen cells do, in large letters: tacet, plays, or at which level. */
function CellsSay({ stems, sections }: { stems: Stem[]; sections: string[] }) {
  const { t } = useTranslation();
  const cells = stems.flatMap((stem) => sections.map((s) => cellOf(stem, s)));
  const first = cells[0];
  const alike = cells.every((c) => c.tacet === first?.tacet && c.level_db === first.level_db);
  const one = stems.length === 1 ? stems[0] : undefined;
  const big =
    !first || !alike
      ? t("sheet.mixed")
      : first.tacet
        ? t("sheet.tacetHere")
        : first.level_db
          ? t("sheet.levelHere", { level: signed(first.level_db, 1, true) })
          : t("sheet.playsHere");
  return (
    <div>
      <p className="text-[24px] font-[650] leading-tight [font-stretch:80%]">{big}</p>
      <p className="small">
        {one && alike && first && !first.tacet
          ? t("sheet.sum", { song: signed(one.gain_db, 1, true), here: signed(one.gain_db + first.level_db, 1, true) })
          : t("sheet.everyForm")}
      </p>
    </div>
  );
}

interface CellProps {
  stem: Stem;
  section: Section;
  set: Cells["set"];
}

/** One press for each: the chosen cells play, or are tacet. */
function PlaysOrTacet({ stems, sections, set }: { stems: Stem[]; sections: Section[]; set: Cells["set"] }) {
  const { t } = useTranslation();
  return (
    <div className="flex gap-1.5">
      {([false, true] as const).map((tacet) => (
        <button
          key={String(tacet)}
          type="button"
          className="btn grow"
          aria-pressed={stems.every((s) => sections.every((x) => s.tacet.includes(x.id) === tacet))}
          onClick={() => void set({ tacet })}
        >
          {t(tacet ? "sheet.tacet" : "sheet.plays")}
        </button>
      ))}
    </div>
  );
}

/** The level of the chosen cells, typed or by half decibels. */
function CellLevel({ stem, section, set }: CellProps) {
  const { t } = useTranslation();
  return (
    <div className="flex items-center gap-1">
      <label className="flex grow items-center gap-2">
        <span className="small grow">{t("sheet.level")}</span>
        <Typed
          key={`${stem.id} ${section.id}`}
          id="cell-level"
          className="w-[64px]"
          inputMode="decimal"
          value={signed(stem.levels[section.id] ?? 0, 1, true)}
          onDone={(text) => set({ level_db: Number(typed(text).replace("+", "")) })}
        />
      </label>
      {([-0.5, 0.5] as const).map((by_db) => (
        <button
          key={by_db}
          type="button"
          className="btn bare"
          aria-label={t(by_db < 0 ? "sheet.softer" : "sheet.louder")}
          onClick={() => void set({ by_db })}
        >
          {by_db < 0 ? <Minus size={14} aria-hidden /> : <Plus size={14} aria-hidden />}
        </button>
      ))}
    </div>
  );
}

/** Over how many beats a change of level or tacet is made. */
function CellFade({ stem, section, set }: CellProps) {
  const { t } = useTranslation();
  return (
    <label className="flex items-center gap-2">
      <span className="small grow">{t("sheet.changes")}</span>
      <select
        className="field"
        value={stem.fades[section.id] ?? 0}
        onChange={(e) => void set({ fade_beats: Number(e.target.value) })}
      >
        {[...new Set([...BEATS, stem.fades[section.id] ?? 0])]
          .sort((a, b) => a - b)
          .map((n) => (
            <option key={n} value={n}>
              {n ? t("sheet.over", { count: n }) : t("sheet.atOnce")}
            </option>
          ))}
      </select>
    </label>
  );
}

/** Hearing, copying and pasting of the chosen cells. */
function BlockActs({ section, copy, paste, same, hearAlone, hearWith }: Cells & { section: Section }) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap gap-1.5">
      <button type="button" className="btn" onClick={hearAlone}>
        <Play size={13} aria-hidden />
        {t("sheet.hearAlone")}
      </button>
      <button type="button" className="btn" onClick={hearWith}>
        {t("sheet.hearWith", { mark: section.mark })}
      </button>
      <button type="button" className="btn" onClick={same}>
        {t("sheet.same", { name: section.name })}
      </button>
      <button type="button" className="btn" onClick={copy} title="Ctrl C">
        <Copy size={13} aria-hidden />
        {t("sheet.copy")}
      </button>
      <button type="button" className="btn" disabled={!paste} onClick={() => paste?.()} title="Ctrl V">
        <ClipboardPaste size={13} aria-hidden />
        {t("sheet.paste")}
      </button>
    </div>
  );
}

/** Stems that do not simply sound: covers, rehearsal stems, muted ones, and what nobody plays. */
function OutOfTheOrdinary({ song, tonight, lineUp }: Pick<Props, "song" | "tonight" | "lineUp">) {
  const { t } = useTranslation();
  const away = lineUp.all.find((l) => l.id === lineUp.id)?.away ?? [];
  return (
    <section>
      <h2 className="mb-1">{lineUp.name || t("lineUp.everybody")}</h2>
      <ul className="flex flex-col gap-0.5 text-soft">
        {song.stems
          .filter((s) => s.purpose === "covers" || s.purpose === "rehearsal" || s.muted)
          .map((s) => (
            <li key={s.id}>
              <b className="font-[600] text-ink">{s.name}</b> {standingOf(s, tonight, t)}
            </li>
          ))}
        {away.length > 0 &&
          tonight?.gaps.map((gap) => (
            <li key={gap} className="text-clay">
              {gap}
            </li>
          ))}
      </ul>
    </section>
  );
}

/** Cells that are worth a look, each with a way to it. */
function Looks({ song, tonight, look }: Pick<Props, "song" | "tonight" | "look">) {
  const { t } = useTranslation();
  if (!tonight?.looks.length) return null;
  return (
    <section>
      <h2 className="mb-1">{t("sheet.looks")}</h2>
      <ul className="flex flex-col gap-1">
        {tonight.looks.map((x) => {
          const at = song.sections.find((s) => s.id === x.section);
          const of = song.stems.find((s) => s.id === x.stem);
          return (
            <li key={`${x.code} ${x.section} ${x.stem}`}>
              <button
                type="button"
                className="text-left underline decoration-line decoration-2 underline-offset-2 hover:decoration-ink"
                onClick={() => look(x.section, x.stem)}
              >
                {t(`sheet.look_${x.code}`, { mark: at?.mark ?? "", name: at?.name ?? "", stem: of?.name ?? "" })}
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
