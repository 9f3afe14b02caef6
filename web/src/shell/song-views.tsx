import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Route, useNavigate } from "react-router";

import { useMarks, useTonight } from "@/api/queries";
import { barAt, Chart } from "@/chart/chart";
import { useBarOfAddress } from "@/chart/choose-bar";
import { ChartMenu, ZoomChoice } from "@/chart/chart-tools";
import { AskHeardSections, HeardSections } from "@/chart/heard-sections";
import { Marked } from "@/chart/marked";
import { SelectionBar } from "@/chart/selection-bar";
import { ClickView } from "@/click/click-view";
import { FormsView } from "@/forms/forms-view";
import { GridView } from "@/grid/grid-view";
import { Findings } from "@/intake/findings";
import { LevelsView } from "@/levels/levels-view";
import { MessagesView } from "@/messages/messages-view";
import { LineUpChoice } from "@/people/line-up";
import { SeamsView } from "@/seams/seams-view";
import { SheetView } from "@/sheet/sheet-view";
import { Trouble, Waiting } from "@/ui/states";

import { type PageState, usePage } from "./page-state";
import { SongPage } from "./song-page";
import { FormChoice, Gaps, ViewFrame } from "./view-frame";

/** A song's page with a route for each of its views. */
export const songRoutes = (band: string) => (
  <Route path="/songs/:id" element={<SongPage band={band} />}>
    <Route index element={<ChartRoute />} />
    <Route path="grid" element={<GridRoute />} />
    <Route path="forms" element={<FormsRoute />} />
    <Route path="seams" element={<SeamsRoute />} />
    <Route path="tacet" element={<SheetRoute />} />
    <Route path="click" element={<ClickRoute />} />
    <Route path="levels" element={<LevelsRoute />} />
    <Route path="messages" element={<MessagesRoute />} />
  </Route>
);

/** What would be missing with the chosen line-up; nothing is asked where everybody plays. */
const useGaps = ({ song, lineUp }: PageState) => useTonight(song, lineUp.id, lineUp.id !== "").data?.gaps ?? [];

function ChartRoute() {
  const { t } = useTranslation();
  const page = usePage();
  const { song, edit, chart, zoom, selection, form } = page;
  const [hearing, setHearing] = useState(false);
  const gaps = useGaps(page);
  useBarOfAddress(selection, chart.data !== undefined);
  const marks = useMarks(song.id, song.revision).data?.marks ?? [];
  const undivided = song.sections.length === 1 && song.stems.length > 0;
  // "A section starts here", wherever the song is; the server puts it on the nearest bar line.
  const startHere = () => {
    const place = page.ears.places.get();
    const name = t("section.unnamed");
    if (place) void edit("split_section", { bar: place.bar, phase: place.phase, name });
    else if (selection.span) void edit("split_section", { bar: selection.span.first, name });
  };
  const tools = (
    <>
      <button type="button" className="btn" aria-pressed={page.follow} onClick={() => page.setFollow(!page.follow)}>
        {t("song.follow")}
      </button>
      <ZoomChoice zoom={zoom.zoom} set={zoom.set} step={zoom.step} />
      <LineUpChoice lineUp={page.lineUp} />
      <FormChoice page={page} />
      <ChartMenu song={song} form={form} edit={edit} hearSections={() => setHearing(true)} />
    </>
  );
  return (
    <ViewFrame page={page} tools={tools} startHere={startHere}>
      {hearing ? (
        <HeardSections song={song} edit={edit} onClose={() => setHearing(false)} />
      ) : (
        undivided && <AskHeardSections onAsk={() => setHearing(true)} />
      )}
      <Gaps gaps={gaps} />
      <Findings
        song={song}
        edit={edit}
        hear={(at, finding) => page.hear.finding(barAt(chart.data?.bars ?? [], at), finding)}
      />
      <Marked marks={marks} edit={edit} selection={selection} />
      <ChartOrWhy page={page} flagged={marks.map((m) => m.bar)} />
      {selection.span && (
        <SelectionBar song={song} selection={selection} edit={edit} hear={page.hear.from} typed={page.typed} />
      )}
    </ViewFrame>
  );
}

/** The chart, or what stands in its place while it is not there. */
function ChartOrWhy({ page, flagged }: { page: PageState; flagged: number[] }) {
  const { chart } = page;
  if (chart.error) return <Trouble error={chart.error} again={() => void chart.refetch()} />;
  if (!chart.data) return <Waiting />;
  return (
    <Chart
      song={page.song}
      chart={chart.data}
      flagged={flagged}
      form={page.form}
      edit={page.edit}
      selection={page.selection}
      places={page.ears.places}
      hearFrom={page.hear.from}
      hearLoop={page.hear.loop}
      zoom={page.zoom.zoom}
      stepZoom={page.zoom.step}
      follow={page.follow}
    />
  );
}

function GridRoute() {
  const page = usePage();
  return (
    <ViewFrame page={page}>
      <GridView song={page.song} edit={page.edit} ears={page.ears} uploads={page.uploads} />
    </ViewFrame>
  );
}

function FormsRoute() {
  const page = usePage();
  const navigate = useNavigate();
  const draw = (form: string) => {
    page.setForm(form);
    void navigate(`/songs/${page.song.id}`);
  };
  return (
    <ViewFrame page={page}>
      <FormsView song={page.song} edit={page.edit} hear={(form, bar) => page.hear.from(bar, { form })} draw={draw} />
    </ViewFrame>
  );
}

function SeamsRoute() {
  const page = usePage();
  return (
    <ViewFrame page={page} tools={<FormChoice page={page} />}>
      <SeamsView song={page.song} form={page.form} edit={page.edit} hear={page.hear.seam} />
    </ViewFrame>
  );
}

function SheetRoute() {
  const page = usePage();
  const gaps = useGaps(page);
  return (
    <ViewFrame page={page} tools={<LineUpChoice lineUp={page.lineUp} />} heard={{ line_up: page.lineUp.id }}>
      <Gaps gaps={gaps} />
      <SheetView song={page.song} edit={page.edit} ears={page.ears} lineUp={page.lineUp} />
    </ViewFrame>
  );
}

function ClickRoute() {
  const page = usePage();
  return (
    <ViewFrame page={page} tools={<FormChoice page={page} />}>
      <ClickView song={page.song} form={page.form} edit={page.edit} ears={page.ears} />
    </ViewFrame>
  );
}

function MessagesRoute() {
  const page = usePage();
  return (
    <ViewFrame page={page} tools={<FormChoice page={page} />}>
      <MessagesView song={page.song} form={page.form} edit={page.edit} places={page.ears.places} />
    </ViewFrame>
  );
}

function LevelsRoute() {
  const page = usePage();
  const gaps = useGaps(page);
  const tools = (
    <>
      <LineUpChoice lineUp={page.lineUp} />
      <FormChoice page={page} />
    </>
  );
  return (
    <ViewFrame page={page} tools={tools} heard={{ ...page.apart, line_up: page.lineUp.id }}>
      <Gaps gaps={gaps} />
      <LevelsView
        song={page.song}
        form={page.form}
        edit={page.edit}
        ears={page.ears}
        lineUp={page.lineUp}
        apart={page.apart}
        setApart={page.setApart}
      />
    </ViewFrame>
  );
}
