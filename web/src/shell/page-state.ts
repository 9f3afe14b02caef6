import { useRef, useState } from "react";
import { useOutletContext, useParams } from "react-router";

import { useChart } from "@/api/queries";
import type { Finding, Song } from "@/api/types";
import { useSelection } from "@/chart/use-selection";
import { LOOKS, useZoom } from "@/chart/zoom";
import type { Wish } from "@/hear/ears";
import { type PageEars, useEars } from "@/hear/use-ears";
import { useUploads } from "@/intake/use-uploads";
import { useLineUp } from "@/people/line-up";
import type { SeamWish } from "@/seams/seams-view";
import { useEdits } from "@/song/use-edits";

type Guides = { click: boolean; cues: boolean };

/** What can be heard of a song: from a bar, round and round, a join, a finding before and after. */
function hearing(ears: PageEars, song: Song, form: string, guides: Guides) {
  return {
    from: (bar: number, more: Partial<Wish> = {}) => ears.hear({ song: song.id, bar, form, ...guides, ...more }),
    loop: (bar: number, loop: number) => ears.hear({ song: song.id, bar, form: "full", ...guides, loop }),
    seam: ({ old, new: next, ...rest }: SeamWish) =>
      ears.hear({
        song: song.id,
        bar: 1,
        form: "full",
        click: guides.click,
        cues: false,
        seam: { old, new: next },
        ...rest,
      }),
    finding: (bar: number, finding: { stem: string; code: Finding["code"]; mended: boolean }) =>
      ears.hear({ song: song.id, bar, form: "full", ...guides, cues: false, finding }),
  };
}

/** Ears that hear everything at so many per cent of its tempo. */
const slowed = (ears: PageEars, percent: number): PageEars =>
  percent === 100 ? ears : { ...ears, hear: (wish) => ears.hear({ ...wish, tempo_percent: percent }) };

/** What stays while one goes from view to view of a song: edits, what is heard, what is chosen. */
export function usePageState(song: Song) {
  const edits = useEdits(song.id);
  const [chosen, setForm] = useState("full");
  const form = song.forms.some((f) => f.id === chosen) ? chosen : "full";
  const zoom = useZoom();
  const chart = useChart(song, form, LOOKS[zoom.zoom].points);
  const [percent, setPercent] = useState(100);
  const ears = slowed(useEars(), percent);
  const uploads = useUploads(song.id);
  const selection = useSelection(song.bars);
  const typed = useRef("");
  const [guides, setGuides] = useState({ click: true, cues: true });
  const lineUp = useLineUp();
  const [apart, setApart] = useState<{ solo: string[]; mute: string[] }>({ solo: [], mute: [] });
  const [follow, setFollow] = useState(true);
  const hear = hearing(ears, song, form, guides);
  return {
    song,
    ...edits,
    form,
    setForm,
    zoom,
    chart,
    ears,
    hear,
    uploads,
    selection,
    typed,
    guides,
    setGuides,
    percent,
    setPercent,
    lineUp,
    apart,
    setApart,
    follow,
    setFollow,
  };
}

export type PageState = ReturnType<typeof usePageState>;

/** The state of the page around a view. */
export const usePage = () => useOutletContext<PageState>();
/** The id of the song in the address. */
export const useSongId = () => useParams().id ?? "";
