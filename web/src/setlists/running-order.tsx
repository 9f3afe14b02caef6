import { arrayMove } from "@dnd-kit/sortable";
import { Coffee, Heading as HeadingIcon, Plus } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import { useSavedSetlist, useSongs } from "@/api/queries";
import type { Entry, EntryChange, Setlist } from "@/api/types";
import { useEars } from "@/hear/use-ears";
import { NewSongDialog } from "@/intake/new-song-dialog";
import { Menu, MenuItem, MenuLine } from "@/ui/menu";
import { useNotices } from "@/ui/notices";
import { Sortable } from "@/ui/sortable";

import { ChosenBar } from "./chosen-bar";
import { COLUMNS } from "./columns";
import { bare, movedBy, movedTogether, numbered, setColours } from "./entries";
import { EntryRow } from "./entry-row";
import { usePreparing } from "./preparing";
import { useChosen } from "./use-chosen";
import { useSetlistLeft } from "./use-left";

/** Entries in order, with what happens between them drawn as the joint. */
export function RunningOrder({ setlist }: { setlist: Setlist }) {
  const { t } = useTranslation();
  const { entries, put, write, change } = useEntries(setlist);
  const chosen = useChosen(entries);
  const steps = useSetlistLeft(setlist).data?.steps ?? [];
  const ears = useJoinEars(setlist.id);
  const group = useGroup(entries, chosen.ids, put, write);
  const [numbers, colours] = [numbered(entries), setColours(entries)];
  return (
    <div className="min-h-0 flex-1 overflow-auto px-5 pb-6">
      {chosen.ids.size > 0 && <ChosenBar count={chosen.ids.size} {...group} clear={chosen.clear} />}
      <Heads />
      {entries.length === 0 && <p className="py-10 text-center text-soft">{t("setlist.empty")}</p>}
      <Sortable
        ids={entries.map((e) => e.id)}
        named={(id) => nameOf(entries.find((e) => e.id === id)) || t("setlist.interval")}
        onMove={group.move}
      >
        <ol aria-label={t("setlist.order")}>
          {entries.map((entry, i) => (
            <EntryRow
              key={entry.id}
              entry={entry}
              number={numbers[i] ?? null}
              startsAt={setlist.starts_at}
              setColour={colours[i] ?? null}
              last={i === entries.length - 1}
              chosen={chosen.ids.has(entry.id)}
              choose={(on, through) => chosen.choose(entry.id, on, through)}
              step={steps.find((s) => s.entry === entries.slice(i + 1).find((e) => !e.set_name || e.song)?.id)}
              ears={ears}
              change={(part) => change(entry.id, part)}
              remove={() => put(entries.filter((e) => e.id !== entry.id))}
            />
          ))}
        </ol>
      </Sortable>
      <Add add={(entry) => write([...entries.map(bare), entry])} />
    </div>
  );
}

const nameOf = (entry: Entry | undefined) => entry?.title || entry?.set_name || "";

/** What is done with the chosen entries together; one that is dragged takes the others along. */
function useGroup(
  entries: Entry[],
  chosen: ReadonlySet<string>,
  put: (all: Entry[]) => void,
  write: (changed: EntryChange[]) => void,
) {
  const { t } = useTranslation();
  const move = (from: number, to: number) => {
    const one = entries[from];
    const together = one !== undefined && chosen.has(one.id) && chosen.size > 1;
    put(together ? movedTogether(entries, chosen, from, to) : arrayMove(entries, from, to));
  };
  const colour = (value: number | null) =>
    write(entries.map((e) => (chosen.has(e.id) ? { ...bare(e), colour: value } : bare(e))));
  const makeSet = () => {
    const first = entries.findIndex((e) => chosen.has(e.id));
    const together = movedTogether(entries, chosen, first, first).map(bare);
    write([...together.slice(0, first), { song: null, set_name: t("entry.set"), colour: 1 }, ...together.slice(first)]);
  };
  return {
    move,
    colour,
    makeSet,
    moveBy: (by: -1 | 1) => put(movedBy(entries, chosen, by)),
    remove: () => put(entries.filter((e) => !chosen.has(e.id))),
  };
}

/** The entries as they stand under the hand, until the server has answered all changes, and their changes. */
function useEntries(setlist: Setlist) {
  const { save } = useSavedSetlist();
  const { complain } = useNotices();
  const [entries, setEntries] = useState(setlist.entries);
  const [waiting, setWaiting] = useState(0);
  const preparing = usePreparing(setlist);
  // What the server made of a change may be what was there before; one that waits behind it is not lost.
  useEffect(() => {
    if (waiting === 0) setEntries(setlist.entries);
  }, [setlist, waiting]);
  const write = (changed: EntryChange[]) => {
    setWaiting((n) => n + 1);
    void save
      .mutateAsync({ id: setlist.id, entries: changed })
      .catch(complain)
      .finally(() => setWaiting((n) => n - 1));
  };
  const put = (all: Entry[]) => {
    setEntries(all);
    write(all.map(bare));
  };
  // Drawn before the server has answered.
  const change = (id: string, part: Partial<EntryChange>) =>
    put(entries.map((e) => (e.id === id ? { ...e, ...part, id } : e)));
  const shown = entries.map((e) => ({ ...e, preparing: preparing.get(e.id) ?? e.preparing }));
  return { entries: shown, put, write, change };
}

/** The joins of songs, one heard at a time. */
function useJoinEars(setlist: string) {
  const ears = useEars();
  const [heard, setHeard] = useState("");
  const now = ears.state === "idle" ? "" : heard;
  const hear = (entry: Entry) => {
    setHeard(entry.id);
    if (now === entry.id) ears.stop();
    else
      ears.hear({
        song: entry.song ?? "",
        bar: 1,
        form: "full",
        click: true,
        cues: true,
        join: { setlist, entry: entry.id },
      });
  };
  return { heard: now, hear };
}

function Heads() {
  const { t } = useTranslation();
  return (
    <div className={`${COLUMNS} pb-1`} aria-hidden>
      <span />
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

/** A song, an interval or the heading of a set more, at the end. */
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
      <button type="button" className="btn" onClick={() => add({ song: null, set_name: t("entry.set"), colour: 1 })}>
        <HeadingIcon size={14} aria-hidden />
        {t("entry.addSet")}
      </button>
      <NewSongDialog open={making} onOpenChange={setMaking} onMade={(song) => add({ song: song.id })} />
    </div>
  );
}
