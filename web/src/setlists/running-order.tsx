import { arrayMove } from "@dnd-kit/sortable";
import { Coffee, Plus } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import { useSavedSetlist, useSongs } from "@/api/queries";
import type { Entry, EntryChange, Setlist } from "@/api/types";
import { NewSongDialog } from "@/intake/new-song-dialog";
import { Menu, MenuItem, MenuLine } from "@/ui/menu";
import { useNotices } from "@/ui/notices";
import { Sortable } from "@/ui/sortable";

import { bare } from "./entries";
import { EntryRow } from "./entry-row";

export const COLUMNS =
  "grid grid-cols-[20px_46px_22px_minmax(0,1fr)_118px_96px_76px_52px_28px] items-center gap-[10px] px-[10px]";

/** Entries in order, with what happens between them drawn as the joint. */
export function RunningOrder({ setlist }: { setlist: Setlist }) {
  const { t } = useTranslation();
  const { save } = useSavedSetlist();
  const { complain } = useNotices();
  // The order under the hand, until the server has answered.
  const [entries, setEntries] = useState(setlist.entries);
  useEffect(() => setEntries(setlist.entries), [setlist.entries]);

  const write = (changed: EntryChange[]) =>
    save.mutate(
      { id: setlist.id, entries: changed },
      { onError: (error) => (complain(error), setEntries(setlist.entries)) },
    );
  const put = (all: Entry[]) => {
    setEntries(all);
    write(all.map(bare));
  };
  const change = (id: string, part: Partial<EntryChange>) =>
    write(entries.map((e) => (e.id === id ? { ...bare(e), ...part } : bare(e))));
  const add = (entry: EntryChange) => write([...entries.map(bare), entry]);
  const numbers = numbered(entries);
  return (
    <div className="min-h-0 flex-1 overflow-auto px-5 pb-6">
      <Heads />
      {entries.length === 0 && <p className="py-10 text-center text-soft">{t("setlist.empty")}</p>}
      <Sortable
        ids={entries.map((e) => e.id)}
        named={(id) => entries.find((e) => e.id === id)?.title || t("setlist.interval")}
        onMove={(from, to) => put(arrayMove(entries, from, to))}
      >
        <ol aria-label={t("setlist.order")}>
          {entries.map((entry, i) => (
            <EntryRow
              key={entry.id}
              entry={entry}
              number={numbers[i] ?? null}
              startsAt={setlist.starts_at}
              last={i === entries.length - 1}
              change={(part) => change(entry.id, part)}
              remove={() => put(entries.filter((e) => e.id !== entry.id))}
            />
          ))}
        </ol>
      </Sortable>
      <Add add={add} />
    </div>
  );
}

/** Songs are numbered; an interval has no number. */
function numbered(entries: Entry[]): (number | null)[] {
  const songs = entries.filter((e) => e.song);
  return entries.map((e) => (e.song ? songs.indexOf(e) + 1 : null));
}

function Heads() {
  const { t } = useTranslation();
  return (
    <div className={`${COLUMNS} pb-1`} aria-hidden>
      <span />
      <h2>{t("setlist.starts")}</h2>
      <span />
      <h2>{t("songs.song")}</h2>
      <h2>{t("song.form")}</h2>
      <h2>{t("songs.tempo")}</h2>
      <h2>{t("songs.key")}</h2>
      <h2>{t("songs.length")}</h2>
    </div>
  );
}

/** A song or an interval more, at the end. */
function Add({ add }: { add: (entry: EntryChange) => void }) {
  const { t } = useTranslation();
  const songs = useSongs();
  const [making, setMaking] = useState(false);
  return (
    <div className="mt-3 flex gap-2">
      <Menu
        label={
          <>
            <Plus size={14} aria-hidden />
            {t("setlist.addSong")}
          </>
        }
      >
        <MenuItem onSelect={() => setMaking(true)}>{t("setlist.newSong")}</MenuItem>
        <MenuLine />
        {songs.data?.map((song) => (
          <MenuItem key={song.id} onSelect={() => add({ song: song.id })}>
            {song.title}
          </MenuItem>
        ))}
        {songs.data?.length === 0 && <p className="small p-2">{t("songs.none")}</p>}
      </Menu>
      <button type="button" className="btn" onClick={() => add({ song: null, interval_minutes: 20 })}>
        <Coffee size={14} aria-hidden />
        {t("setlist.addInterval")}
      </button>
      <NewSongDialog open={making} onOpenChange={setMaking} onMade={(song) => add({ song: song.id })} />
    </div>
  );
}
