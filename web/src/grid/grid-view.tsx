import { useQueryClient } from "@tanstack/react-query";
import { Check, ChevronDown, RefreshCw } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Grid, Song } from "@/api/types";
import type { useEars } from "@/hear/use-ears";
import type { Edit } from "@/api/edits";
import type { Uploads } from "@/intake/use-uploads";
import { Menu, MenuCheck } from "@/ui/menu";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";

import { Plot } from "./plot";
import { Proposal } from "./proposal";
import { retimed } from "./retimed";
import { Strips } from "./strips";
import { TempoChart } from "./tempo-chart";
import { TempoControls } from "./tempo-controls";
import { useGrid, useStrips } from "./use-grid";

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
  const { complain } = useNotices();
  const client = useQueryClient();
  const [stems, setStems] = useState<string[] | null>(null);
  const [extra, setExtra] = useState<number[]>([]);
  const [moving, setMoving] = useState(0);
  const [even, setEven] = useState(0);
  const [taking, setTaking] = useState<number | null>(null);
  const grid = useGrid(song, stems);
  const worst = grid.data?.strips ?? [];
  const bars = [...new Set([...extra, ...(worst.length ? worst : [1])])].slice(0, 7).sort((a, b) => a - b);
  const strips = useStrips(song, stems, bars);
  if (grid.error && !grid.data) return <Trouble error={grid.error} again={() => void grid.refetch()} />;
  if (!grid.data) return <Waiting />;
  // What is taken is drawn at once, as it was proposed, until the server's own answer is there.
  const taken =
    taking !== null && (song.revision === taking || (song.revision === taking + 1 && grid.isPlaceholderData));
  const data = taken
    ? { ...grid.data, bars: grid.data.bars.map((b) => ({ ...b, off_ms: b.fit_ms })) }
    : retimed(grid.data, song);

  /** Shown at once, saved behind it; what the server answers takes its place. */
  const move = (ms: number) => {
    setMoving(ms);
    void edit("set_bar1", { by_ms: ms }).then(() => settle(ms));
  };
  const settle = (ms: number) =>
    client.setQueryData<Grid>(
      ["grid", song.id, stems, client.getQueryData<Song>(["song", song.id])?.revision],
      (known) => {
        setMoving(0);
        return (
          known ?? {
            ...data,
            bars: data.bars.map((b) => ({
              ...b,
              seconds: b.seconds + ms / 1000,
              off_ms: b.off_ms === null ? null : b.off_ms - ms,
            })),
          }
        );
      },
    );
  const beats = (count: number) => void edit("set_bar1", { by_beats: count });
  const take = (how: string, evened = even) => {
    if (evened === 0 && (how === "follow" || (how === "both" && data.proposal?.steady))) setTaking(song.revision);
    void edit("take_grid", { measurement: data.measurement ?? 0, how, even: evened }).then(
      (done) => !done && setTaking(null),
    );
  };
  const toOnset = (bar: number, after: boolean) =>
    void api<{ by_ms: number }>(
      `songs/${song.id}/onset/?measurement=${data.measurement}&bar=${bar}&after=${after}`,
    ).then(({ by_ms }) => move(by_ms), complain);
  const pin = (bar: number, on: boolean) =>
    void edit("pin_bar", {
      bar,
      seconds: on ? data.bars[bar - 1]?.seconds : null,
      even,
      ...(song.tempo.length > 1 && { measurement: data.measurement }),
    });
  const look = (bar: number) => setExtra((all) => [bar, ...all.filter((b) => b !== bar)].slice(0, 4));
  const again = () =>
    void api<Grid>(`songs/${song.id}/grid/?again=true${stems ? `&stems=${stems.join(",")}` : ""}`, "POST").then(
      () => grid.refetch(),
      complain,
    );
  const playable = song.stems.filter((s) => s.integrated_lufs !== null);
  const listened = stems ?? data.stems;
  const choose = (id: string, on: boolean) => {
    const kept = on ? [...listened, id] : listened.filter((s) => s !== id);
    setStems(kept.length ? kept : null);
  };

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
          {data.pins.length > 0 && (
            <span className="small flex items-center gap-1">
              <Check size={12} aria-hidden />
              {t("grid.pinned", { bars: data.pins.join(", "), count: data.pins.length })}
            </span>
          )}
        </div>
      </div>
      <div className="flex min-h-0 flex-col gap-2 overflow-auto border-l border-line px-4 py-1">
        <h2>{t("grid.under")}</h2>
        {strips.data && (
          <Strips
            grid={data}
            strips={strips.data}
            moving={moving}
            setMoving={setMoving}
            move={move}
            beats={beats}
            toOnset={toOnset}
            hear={(bar) => ears.hear({ song: song.id, bar, form: "full", click: true, cues: false, loop: LOOP_BARS })}
            pin={pin}
            keep={look}
          />
        )}
        <p className="small">{t("grid.stripsHelp")}</p>
      </div>
    </div>
  );
}
