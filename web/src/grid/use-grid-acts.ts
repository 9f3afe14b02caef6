import { useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { api } from "@/api/client";
import type { Edit } from "@/api/edits";
import type { Grid, Song } from "@/api/types";
import { useNotices } from "@/ui/notices";

import { retimed } from "./retimed";
import type { useGrid } from "./use-grid";

interface Args {
  song: Song;
  /** The stems that are listened to; null for those the server chooses. */
  stems: string[] | null;
  /** How far played tempos are evened out, 0 to 1. */
  even: number;
  edit: Edit;
  grid: ReturnType<typeof useGrid>;
}

/** The grid with every bar moved by ms, which the sound lies earlier against it. */
const movedBy = (grid: Grid, ms: number): Grid => ({
  ...grid,
  bars: grid.bars.map((b) => ({
    ...b,
    seconds: b.seconds + ms / 1000,
    off_ms: b.off_ms === null ? null : b.off_ms - ms,
  })),
});

/** What can be done to the grid. What is taken or moved is drawn at once, until the server's own answer is there. */
export function useGridActs({ song, stems, even, edit, grid }: Args) {
  const { complain } = useNotices();
  const client = useQueryClient();
  const [moving, setMoving] = useState(0);
  const [taking, setTaking] = useState<number | null>(null);
  const taken =
    taking !== null && (song.revision === taking || (song.revision === taking + 1 && grid.isPlaceholderData));
  return (known: Grid) => {
    const data = taken ? { ...known, bars: known.bars.map((b) => ({ ...b, off_ms: b.fit_ms })) } : retimed(known, song);
    const settle = (ms: number) => {
      const revision = client.getQueryData<Song>(["song", song.id])?.revision;
      client.setQueryData<Grid>(["grid", song.id, stems, revision], (answered) => {
        setMoving(0);
        return answered ?? movedBy(data, ms);
      });
    };
    const move = (ms: number) => {
      setMoving(ms);
      void edit("set_bar1", { by_ms: ms }).then(() => settle(ms));
    };
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
    const again = () =>
      void api<Grid>(`songs/${song.id}/grid/?again=true${stems ? `&stems=${stems.join(",")}` : ""}`, "POST").then(
        () => grid.refetch(),
        complain,
      );
    const beats = (count: number) => void edit("set_bar1", { by_beats: count });
    return { data, moving, setMoving, move, beats, take, toOnset, pin, again };
  };
}
