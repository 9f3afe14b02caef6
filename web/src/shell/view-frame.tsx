import { type LucideIcon, Redo2, Undo2 } from "lucide-react";
import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";
import { NavLink } from "react-router";

import type { Song } from "@/api/types";
import type { Wish } from "@/hear/ears";
import { Offers } from "@/intake/offers";
import { usePageKeys } from "@/ui/use-page-keys";

import { HearBar } from "./hear-bar";
import type { PageState } from "./page-state";

export const VIEWS = ["chart", "grid", "forms", "seams", "tacet", "click", "levels", "messages"] as const;

interface Props {
  page: PageState;
  /** What stands beside undo and redo. */
  tools?: ReactNode;
  /** What is heard otherwise than the page says. */
  heard?: Partial<Wish>;
  /** A section starts where the song is now. */
  startHere?: () => void;
  children: ReactNode;
}

/** A view of a song between the tools above and the ears below. */
export function ViewFrame({ page, tools, heard = {}, startHere, children }: Props) {
  const { song, undo, redo } = page;
  usePageKeys({ undo, redo, startHere });
  return (
    <div className="flex min-h-0 min-w-0 flex-col">
      <Tools song={song} undo={undo} redo={redo}>
        {tools}
      </Tools>
      <Offers song={song} edit={page.edit} />
      {children}
      <HearBar
        song={song}
        chart={page.chart.data}
        ears={page.ears}
        guides={page.guides}
        setGuides={page.setGuides}
        percent={page.percent}
        setPercent={page.setPercent}
        from={page.selection.span?.first ?? 1}
        hearFrom={(bar) => page.hear.from(bar, heard)}
        {...(startHere && { startHere })}
      />
    </div>
  );
}

interface ToolsProps {
  song: Song;
  undo: () => void;
  redo: () => void;
  children: ReactNode;
}

function Tools({ song, undo, redo, children }: ToolsProps) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 px-5 pb-2 pt-3">
      <nav aria-label={t("song.views")} className="flex gap-4">
        {VIEWS.map((view) => (
          <NavLink
            key={view}
            end
            to={view === "chart" ? `/songs/${song.id}` : `/songs/${song.id}/${view}`}
            className={({ isActive }) =>
              `border-b-2 pb-[2px] text-[14px] font-[650] ${isActive ? "border-ink text-ink" : "border-transparent text-soft hover:text-ink"}`
            }
          >
            {t(`song.${view}`)}
          </NavLink>
        ))}
      </nav>
      <span className="grow" />
      <ToolButton label={t("song.undo")} title={t("song.undoKey")} icon={Undo2} able={song.can_undo} onClick={undo} />
      <ToolButton label={t("song.redo")} title={t("song.redoKey")} icon={Redo2} able={song.can_redo} onClick={redo} />
      {children}
    </div>
  );
}

interface ToolProps {
  label: string;
  title: string;
  icon: LucideIcon;
  able: boolean;
  onClick: () => void;
}

/** A tool by its picture; its name stands beside it where there is room. */
function ToolButton({ label, title, icon: Icon, able, onClick }: ToolProps) {
  return (
    <button type="button" className="btn" onClick={onClick} disabled={!able} title={title} aria-label={label}>
      <Icon size={14} aria-hidden />
      <span className="hidden min-[1500px]:inline">{label}</span>
    </button>
  );
}

/** The form that a view shows. */
export function FormChoice({ page: { song, form, setForm } }: { page: PageState }) {
  const { t } = useTranslation();
  return (
    <label className="flex items-center gap-2">
      <span className="small">{t("song.form")}</span>
      <select className="field" value={form} onChange={(e) => setForm(e.target.value)}>
        {song.forms.map((f) => (
          <option key={f.id} value={f.id}>
            {t("song.formOption", { name: f.name, count: f.steps.filter((s) => s.ending.kind !== "cut").length })}
          </option>
        ))}
      </select>
    </label>
  );
}

/** What would be missing with the line-up. */
export function Gaps({ gaps }: { gaps: string[] }) {
  if (gaps.length === 0) return null;
  return (
    <ul className="mx-5 mb-2 border-l-4 border-l-clay bg-claybg px-3 py-1.5">
      {gaps.map((gap) => (
        <li key={gap}>{gap}</li>
      ))}
    </ul>
  );
}
