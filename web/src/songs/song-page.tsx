import { Redo2, Undo2 } from "lucide-react";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate, useParams } from "react-router";

import { useChart, useSong, useTonight } from "@/api/queries";
import type { Song } from "@/api/types";
import { ClickView } from "@/click/click-view";
import { FormsView } from "@/forms/forms-view";
import { GridView } from "@/grid/grid-view";
import { useEars } from "@/hear/use-ears";
import { LevelsView } from "@/levels/levels-view";
import { LineUpChoice, useLineUp } from "@/people/line-up";
import { SheetView } from "@/sheet/sheet-view";
import { type SeamWish, SeamsView } from "@/seams/seams-view";
import { Trouble, Waiting } from "@/ui/states";

import { barAt, Chart } from "./chart";
import { ChartMenu, ZoomChoice } from "./chart-tools";
import { ConflictDialog } from "./conflict-dialog";
import { Findings } from "./findings";
import { HearBar } from "./hear-bar";
import { AskHeardSections, HeardSections } from "./heard-sections";
import { Offers } from "./offers";
import { SongSide } from "./song-side";
import { useEdits } from "./use-edits";
import { useUploads } from "./use-uploads";
import { useSelection } from "./use-selection";
import { SelectionBar } from "./selection-bar";
import { LOOKS, useZoom } from "./zoom";

export const VIEWS = ["chart", "grid", "forms", "seams", "tacet", "click", "levels"] as const;
export type SongView = (typeof VIEWS)[number];

export function SongPage({ band, view = "chart" }: { band: string; view?: SongView }) {
  const { id = "" } = useParams();
  const song = useSong(id);
  if (song.isPending) return <Waiting />;
  if (song.error) return <Trouble error={song.error} again={() => void song.refetch()} />;
  return <Opened key={id} song={song.data} band={band} view={view} />;
}

function Opened({ song, band, view }: { song: Song; band: string; view: SongView }) {
  const { t } = useTranslation();
  const { edit, undo, redo, conflict } = useEdits(song.id);
  const navigate = useNavigate();
  const [form, setForm] = useState("full");
  const known = song.forms.some((f) => f.id === form) ? form : "full";
  const zoom = useZoom();
  const chart = useChart(song, known, LOOKS[zoom.zoom].points);
  const ears = useEars();
  const uploads = useUploads(song.id);
  const selection = useSelection(song.bars);
  const typed = useRef("");
  const [guides, setGuides] = useState({ click: true, cues: true });
  const lineUp = useLineUp();
  const tonight = useTonight(
    song,
    lineUp.id,
    lineUp.id !== "" && (view === "chart" || view === "tacet" || view === "levels"),
  );
  const [apart, setApart] = useState<{ solo: string[]; mute: string[] }>({ solo: [], mute: [] });
  const [follow, setFollow] = useState(true);
  const [hearing, setHearing] = useState(false);
  const hearFrom = (bar: number, of = known) =>
    ears.hear({
      song: song.id,
      bar,
      form: of,
      ...guides,
      ...(view === "levels" && { ...apart, line_up: lineUp.id }),
      ...(view === "tacet" && { line_up: lineUp.id }),
    });
  const hearLoop = (bar: number, loop: number) => ears.hear({ song: song.id, bar, form: "full", ...guides, loop });
  const hearSeam = (seam: SeamWish) => {
    const { old, new: next, ...rest } = seam;
    ears.hear({
      song: song.id,
      bar: 1,
      form: "full",
      click: guides.click,
      cues: false,
      seam: { old, new: next },
      ...rest,
    });
  };
  // "A section starts here", wherever the song is; the server puts it on the nearest bar line.
  const startHere = () => {
    const place = ears.places.get();
    if (place) void edit("split_section", { bar: place.bar, phase: place.phase, name: t("section.unnamed") });
    else if (selection.span) void edit("split_section", { bar: selection.span.first, name: t("section.unnamed") });
  };
  usePageKeys(undo, redo, view === "chart" ? startHere : undefined);
  const undivided = song.sections.length === 1 && song.stems.length > 0;

  return (
    <div className="grid h-full grid-cols-[262px_minmax(0,1fr)]">
      <SongSide
        song={song}
        band={band}
        edit={edit}
        uploads={uploads}
        tonight={view === "chart" && lineUp.id ? tonight.data : undefined}
      />
      <div className="flex min-h-0 min-w-0 flex-col">
        <Tools song={song} view={view} undo={undo} redo={redo}>
          {view === "chart" && (
            <>
              <button type="button" className="btn" aria-pressed={follow} onClick={() => setFollow(!follow)}>
                {t("song.follow")}
              </button>
              <ZoomChoice zoom={zoom.zoom} set={zoom.set} step={zoom.step} />
            </>
          )}
          {(view === "chart" || view === "tacet" || view === "levels") && <LineUpChoice lineUp={lineUp} />}
          {(view === "chart" || view === "seams" || view === "click" || view === "levels") && (
            <FormChoice song={song} form={known} setForm={setForm} />
          )}
          {view === "chart" && <ChartMenu song={song} form={known} edit={edit} hearSections={() => setHearing(true)} />}
        </Tools>
        <Offers song={song} edit={edit} />
        {view === "chart" &&
          (hearing ? (
            <HeardSections song={song} edit={edit} onClose={() => setHearing(false)} />
          ) : (
            undivided && <AskHeardSections onAsk={() => setHearing(true)} />
          ))}
        {view === "grid" && <GridView song={song} edit={edit} ears={ears} uploads={uploads} />}
        {view === "forms" && (
          <FormsView
            song={song}
            edit={edit}
            hear={(of, bar) => hearFrom(bar, of)}
            draw={(to) => {
              setForm(to);
              void navigate(`/songs/${song.id}`);
            }}
          />
        )}
        {(view === "chart" || view === "tacet" || view === "levels") && lineUp.id !== "" && (
          <Gaps gaps={tonight.data?.gaps ?? []} />
        )}
        {view === "tacet" && <SheetView song={song} edit={edit} ears={ears} lineUp={lineUp} />}
        {view === "click" && <ClickView song={song} form={known} edit={edit} ears={ears} />}
        {view === "levels" && (
          <LevelsView
            song={song}
            form={known}
            edit={edit}
            ears={ears}
            lineUp={lineUp}
            apart={apart}
            setApart={setApart}
          />
        )}
        {view === "seams" && <SeamsView song={song} form={known} edit={edit} hear={hearSeam} />}
        {view === "chart" && (
          <>
            <Findings
              song={song}
              edit={edit}
              hear={(at, finding) =>
                ears.hear({
                  song: song.id,
                  bar: barAt(chart.data?.bars ?? [], at),
                  form: "full",
                  ...guides,
                  cues: false,
                  finding,
                })
              }
            />
            {chart.error ? (
              <Trouble error={chart.error} again={() => void chart.refetch()} />
            ) : chart.data ? (
              <Chart
                song={song}
                chart={chart.data}
                form={known}
                edit={edit}
                selection={selection}
                places={ears.places}
                hearFrom={hearFrom}
                hearLoop={hearLoop}
                zoom={zoom.zoom}
                stepZoom={zoom.step}
                follow={follow}
              />
            ) : (
              <Waiting />
            )}
          </>
        )}
        {view === "chart" && selection.span && (
          <SelectionBar song={song} selection={selection} edit={edit} hear={hearFrom} typed={typed} />
        )}
        <HearBar
          song={song}
          chart={chart.data}
          ears={ears}
          guides={guides}
          setGuides={setGuides}
          from={selection.span?.first ?? 1}
          hearFrom={hearFrom}
          {...(view === "chart" && { startHere })}
        />
      </div>
      {conflict && <ConflictDialog conflict={conflict} />}
    </div>
  );
}

/** What would be missing with the line-up. */
function Gaps({ gaps }: { gaps: string[] }) {
  if (gaps.length === 0) return null;
  return (
    <ul className="mx-5 mb-2 border-l-4 border-l-clay bg-claybg px-3 py-1.5">
      {gaps.map((gap) => (
        <li key={gap}>{gap}</li>
      ))}
    </ul>
  );
}

interface ToolsProps {
  song: Song;
  view: SongView;
  undo: () => void;
  redo: () => void;
  children: ReactNode;
}

function Tools({ song, view, undo, redo, children }: ToolsProps) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap items-center gap-x-3 gap-y-1 px-5 pb-2 pt-3">
      <nav aria-label={t("song.views")} className="flex gap-4">
        {VIEWS.map((v) => (
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
      <button
        type="button"
        className="btn"
        onClick={undo}
        disabled={!song.can_undo}
        title={t("song.undoKey")}
        aria-label={t("song.undo")}
      >
        <Undo2 size={14} aria-hidden />
        <span className="hidden min-[1500px]:inline">{t("song.undo")}</span>
      </button>
      <button
        type="button"
        className="btn"
        onClick={redo}
        disabled={!song.can_redo}
        title={t("song.redoKey")}
        aria-label={t("song.redo")}
      >
        <Redo2 size={14} aria-hidden />
        <span className="hidden min-[1500px]:inline">{t("song.redo")}</span>
      </button>
      {children}
    </div>
  );
}

function FormChoice({ song, form, setForm }: { song: Song; form: string; setForm: (form: string) => void }) {
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

/** Ctrl+Z and Ctrl+Shift+Z, and S for "a section starts here", anywhere but in a field, which has keys of its own. */
function usePageKeys(undo: () => void, redo: () => void, startHere?: () => void) {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const typing =
        e.target instanceof HTMLElement && e.target.closest("input, textarea, select, [role=dialog], [role=menu]");
      if (typing) return;
      const held = e.ctrlKey || e.metaKey;
      if (held && e.key.toLowerCase() === "z") {
        e.preventDefault();
        if (e.shiftKey) redo();
        else undo();
      } else if (!held && !e.altKey && !e.repeat && e.key.toLowerCase() === "s") startHere?.();
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  });
}
