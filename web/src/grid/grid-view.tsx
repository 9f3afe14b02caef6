import { Check, ChevronDown, RefreshCw } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Grid, Song } from "@/api/types";
import type { useEars } from "@/hear/use-ears";
import type { Edit } from "@/api/edits";
import type { Uploads } from "@/intake/use-uploads";
import { Menu, MenuCheck } from "@/ui/menu";
import { Trouble, Waiting } from "@/ui/states";

import { Plot } from "./plot";
import { Proposal } from "./proposal";
import { Strips } from "./strips";
import { TempoChart } from "./tempo-chart";
import { TempoControls } from "./tempo-controls";
import { useGrid, useStrips } from "./use-grid";
import { useGridActs } from "./use-grid-acts";

const LOOP_BARS = 2;

interface Props {
  song: Song;
  edit: Edit;
  ears: ReturnType<typeof useEars>;
  uploads: Uploads;
}

/** Is it on the beat? Every bar line against its click, and what puts it right. */
export function GridView({ song, edit, ears, uploads }: Props) {
  const { t } = useTranslation();
  const [stems, setStems] = useState<string[] | null>(null);
  const [extra, setExtra] = useState<number[]>([]);
  const [even, setEven] = useState(0);
  const grid = useGrid(song, stems);
  const worst = grid.data?.strips ?? [];
  const bars = [...new Set([...extra, ...(worst.length ? worst : [1])])].slice(0, 7).sort((a, b) => a - b);
  const strips = useStrips(song, stems, bars);
  const acts = useGridActs({ song, stems, even, edit, grid });
  if (grid.error && !grid.data) return <Trouble error={grid.error} again={() => void grid.refetch()} />;
  if (!grid.data) return <Waiting />;
  const { data, take, again, ...hands } = acts(grid.data);
  const { moving, move, beats } = hands;
  const look = (bar: number) => setExtra((all) => [bar, ...all.filter((b) => b !== bar)].slice(0, 4));

  return (
    <div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_360px]">
      <div className="flex min-w-0 flex-col gap-3 overflow-auto px-5 pb-4">
        <Proposal grid={data} take={take} look={look} setMetre={(meter) => void edit("set_meter", { bar: 1, meter })} />
        <Plot grid={data} moving={moving} chosen={bars} choose={look} />
        <TempoControls
          song={song}
          grid={data}
          edit={edit}
          even={even}
          setEven={setEven}
          take={take}
          move={move}
          beats={beats}
          bringMidi={(files) => void uploads.add([...(files ?? [])])}
        />
        {song.tempo.length > 1 && <TempoChart song={song} />}
        <ListenTo song={song} grid={data} stems={stems} setStems={setStems} again={again} />
      </div>
      <div className="flex min-h-0 flex-col gap-2 overflow-auto border-l border-line px-4 py-1">
        <h2>{t("grid.under")}</h2>
        {strips.data && (
          <Strips
            grid={data}
            strips={strips.data}
            hear={(bar) => ears.hear({ song: song.id, bar, form: "full", click: true, cues: false, loop: LOOP_BARS })}
            keep={look}
            {...hands}
          />
        )}
        <p className="small">{t("grid.stripsHelp")}</p>
      </div>
    </div>
  );
}

interface ListenProps {
  song: Song;
  grid: Grid;
  stems: string[] | null;
  setStems: (stems: string[] | null) => void;
  again: () => void;
}

/** Which stems are listened to, a press that measures anew, and what is pinned. */
function ListenTo({ song, grid, stems, setStems, again }: ListenProps) {
  const { t } = useTranslation();
  const playable = song.stems.filter((s) => s.integrated_lufs !== null);
  const listened = stems ?? grid.stems;
  const choose = (id: string, on: boolean) => {
    const kept = on ? [...listened, id] : listened.filter((s) => s !== id);
    setStems(kept.length ? kept : null);
  };
  return (
    <div className="flex items-center gap-2">
      <Menu
        label={
          <>
            {t("grid.listenTo")}{" "}
            {playable
              .filter((s) => listened.includes(s.id))
              .map((s) => s.name)
              .join(", ") || t("grid.nothing")}
            <ChevronDown size={13} aria-hidden />
          </>
        }
      >
        {playable.map((s) => (
          <MenuCheck key={s.id} checked={listened.includes(s.id)} onChange={(on) => choose(s.id, on)}>
            {s.name}
          </MenuCheck>
        ))}
      </Menu>
      <button type="button" className="btn bare" onClick={again}>
        <RefreshCw size={13} aria-hidden />
        {t("grid.again")}
      </button>
      {grid.pins.length > 0 && (
        <span className="small flex items-center gap-1">
          <Check size={12} aria-hidden />
          {t("grid.pinned", { bars: grid.pins.join(", "), count: grid.pins.length })}
        </span>
      )}
    </div>
  );
}
