import { Redo2, Undo2 } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useParams } from "react-router";

import { useChart, useSong } from "@/api/queries";
import type { Song } from "@/api/types";
import { GridView } from "@/grid/grid-view";
import { useEars } from "@/hear/use-ears";
import { Trouble, Waiting } from "@/ui/states";

import { Chart } from "./chart";
import { Findings } from "./findings";
import { HearBar } from "./hear-bar";
import { Offers } from "./offers";
import { SongSide } from "./song-side";
import { useEdits } from "./use-edits";
import { useUploads } from "./use-uploads";
import { useSelection } from "./use-selection";
import { SelectionBar } from "./selection-bar";

export type SongView = "chart" | "grid";

export function SongPage({ band, view = "chart" }: { band: string; view?: SongView }) {
  const { id = "" } = useParams();
  const song = useSong(id);
  if (song.isPending) return <Waiting />;
  if (song.error) return <Trouble error={song.error} again={() => void song.refetch()} />;
  return <Opened key={id} song={song.data} band={band} view={view} />;
}

function Opened({ song, band, view }: { song: Song; band: string; view: SongView }) {
  const { edit, undo, redo } = useEdits(song.id);
  const [form, setForm] = useState("full");
  const known = song.forms.some((f) => f.id === form) ? form : "full";
  const chart = useChart(song, known);
  const ears = useEars();
  const uploads = useUploads(song.id);
  const selection = useSelection(song.bars);
  const [guides, setGuides] = useState({ click: true, cues: true });
  const hearFrom = (bar: number) => ears.hear({ song: song.id, bar, form: known, ...guides });
  useUndoKeys(undo, redo);

  return (
    <div className="grid h-full grid-cols-[262px_minmax(0,1fr)]">
      <SongSide song={song} band={band} edit={edit} uploads={uploads} />
      <div className="flex min-h-0 min-w-0 flex-col">
        <Tools song={song} view={view} form={known} setForm={setForm} undo={undo} redo={redo} />
        <Offers song={song} edit={edit} />
        {view === "grid" ? (
          <GridView song={song} edit={edit} ears={ears} uploads={uploads} />
        ) : (
          <>
            <Findings song={song} edit={edit} hear={(bar, finding) => ears.hear({ song: song.id, bar, form: "full", ...guides, cues: false, finding })} />
            {chart.error ? (
              <Trouble error={chart.error} again={() => void chart.refetch()} />
            ) : chart.data ? (
              <Chart song={song} chart={chart.data} form={known} edit={edit} selection={selection} place={ears.place} hearFrom={hearFrom} />
            ) : (
              <Waiting />
            )}
          </>
        )}
        {view === "chart" && selection.span && <SelectionBar song={song} selection={selection} edit={edit} hear={hearFrom} />}
        <HearBar song={song} chart={chart.data} ears={ears} guides={guides} setGuides={setGuides} from={selection.span?.first ?? 1} hearFrom={hearFrom} />
      </div>
    </div>
  );
}

interface ToolsProps {
  song: Song;
  view: SongView;
  form: string;
  setForm: (form: string) => void;
  undo: () => void;
  redo: () => void;
}

function Tools({ song, view, form, setForm, undo, redo }: ToolsProps) {
  const { t } = useTranslation();
  return (
    <div className="flex items-center gap-3 px-5 pb-2 pt-3">
      <nav aria-label={t("song.views")} className="flex gap-4">
        {(["chart", "grid"] as const).map((v) => (
          <Link
            key={v}
            to={v === "chart" ? `/songs/${song.id}` : `/songs/${song.id}/${v}`}
            aria-current={v === view ? "page" : undefined}
            className={`border-b-2 pb-[2px] text-[14px] font-[650] ${v === view ? "border-ink text-ink" : "border-transparent text-soft hover:text-ink"}`}
          >
            {t(`song.${v}`)}
          </Link>
        ))}
      </nav>
      <span className="grow" />
      <button type="button" className="btn" onClick={undo} disabled={!song.can_undo} title={t("song.undoKey")}>
        <Undo2 size={14} aria-hidden />
        {t("song.undo")}
      </button>
      <button type="button" className="btn" onClick={redo} disabled={!song.can_redo} title={t("song.redoKey")}>
        <Redo2 size={14} aria-hidden />
        {t("song.redo")}
      </button>
      <label className={`items-center gap-2 ${view === "chart" ? "flex" : "hidden"}`}>
        <span className="small">{t("song.form")}</span>
        <select className="field" value={form} onChange={(e) => setForm(e.target.value)}>
          {song.forms.map((f) => (
            <option key={f.id} value={f.id}>
              {t("song.formOption", { name: f.name, count: f.steps.filter((s) => s.ending.kind !== "cut").length })}
            </option>
          ))}
        </select>
      </label>
    </div>
  );
}

/** Ctrl+Z and Ctrl+Shift+Z anywhere but in a text field, which has an undo of its own. */
function useUndoKeys(undo: () => void, redo: () => void) {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const typing = e.target instanceof HTMLElement && e.target.closest("input, textarea, select, [role=dialog]");
      if (typing || !(e.ctrlKey || e.metaKey) || e.key.toLowerCase() !== "z") return;
      e.preventDefault();
      if (e.shiftKey) redo();
      else undo();
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  });
}
