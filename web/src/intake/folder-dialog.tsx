import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";

import { api } from "@/api/client";
import type { NamesRead, Song } from "@/api/types";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";

import { type Dropped, isOffer, isSound, isZip } from "./files";
import { GROUPS, LENGTHS, PURPOSES } from "@/generated/core";
import { newSong, SongFields } from "./song-fields";
import { sendLater } from "./use-uploads";

/** What a stem can be for before it is known which player it covers. */
const PLAIN = PURPOSES.filter((p) => p !== "covers");

/** A dropped folder becomes a song: what its names say, to be put right before anything is made. */
export function FolderDialog({ dropped, onClose }: { dropped: Dropped; onClose: () => void }) {
  const { t } = useTranslation();
  const sounds = dropped.files.filter((f) => isSound(f.name));
  const zips = dropped.files.filter((f) => isZip(f.name));
  const first = zips.length && !sounds.length ? (zips[0]?.name.replace(/\.zip$/i, "") ?? "") : dropped.folder;
  const read = useQuery({
    queryKey: ["names", first, sounds.map((f) => f.name)],
    queryFn: () => api<NamesRead>("songs/read-names/", "POST", { folder: first, files: sounds.map((f) => f.name) }),
    staleTime: Infinity,
    retry: false,
  });
  return (
    <Dialog open wide onOpenChange={(open) => !open && onClose()} title={t("folder.title")} about={t("folder.about")}>
      {read.isPending ? (
        <Waiting />
      ) : read.error ? (
        <Trouble error={read.error} again={() => void read.refetch()} />
      ) : (
        <Correct read={read.data} dropped={dropped} />
      )}
    </Dialog>
  );
}

/** What a file's name says, and whether the file is taken. */
type StemRow = NamesRead["stems"][number] & { in: boolean };

/** The files that are taken, each with its name, group and purpose as they stand in the dialog. */
function chosenFiles(read: NamesRead, rows: StemRow[], dropped: Dropped) {
  const sounds = dropped.files.filter((f) => isSound(f.name));
  return rows.flatMap((row, i) => {
    const file = sounds[i];
    if (!row.in || !file) return [];
    // A group that was only guessed, and left as it was, is measured by the server.
    const guessed = row.sure < 0.5 && row.group === read.stems[i]?.group;
    return [{ file, stem_name: row.name, group: guessed ? "" : row.group, purpose: row.purpose }];
  });
}

function Correct({ read, dropped }: { read: NamesRead; dropped: Dropped }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const navigate = useNavigate();
  const client = useQueryClient();
  const [facts, setFacts] = useState({ title: read.title, bpm: read.bpm ?? "", meter: "" });
  const [rows, setRows] = useState<StemRow[]>(() => read.stems.map((s) => ({ ...s, in: true })));
  const besides = dropped.files.filter((f) => isZip(f.name) || isOffer(f.name));
  const change = (i: number, more: Partial<StemRow>) =>
    setRows((all) => all.map((s, at) => (at === i ? { ...s, ...more } : s)));
  const make = useMutation({
    mutationFn: () => api<Song>("songs/", "POST", newSong(facts)),
    onSuccess: (song) => {
      sendLater(song.id, [...chosenFiles(read, rows, dropped), ...besides.map((file) => ({ file }))]);
      client.setQueryData(["song", song.id], song);
      void client.invalidateQueries({ queryKey: ["songs"] });
      void navigate(`/songs/${song.id}`);
    },
    onError: complain,
  });
  const chosen = rows.filter((s) => s.in).length + besides.length;
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        make.mutate();
      }}
    >
      <SongFields facts={facts} change={setFacts} />
      {rows.length > 0 && (
        <ul aria-label={t("folder.files")} className="max-h-[46vh] overflow-auto border border-line">
          {rows.map((s, i) => (
            <FileRow key={s.file} row={s} change={(more) => change(i, more)} />
          ))}
        </ul>
      )}
      <Notes read={read} dropped={dropped} />
      {chosen === 0 && <p className="text-clay">{t("folder.nothing")}</p>}
      <button
        type="submit"
        className="btn pri self-end"
        disabled={make.isPending || chosen === 0 || !facts.title.trim()}
      >
        {t("folder.make", { count: rows.filter((s) => s.in).length })}
      </button>
    </form>
  );
}

interface RowProps {
  row: StemRow;
  change: (more: Partial<StemRow>) => void;
}

/** One file: whether it is taken, under which name, in which group, and what it is for. */
function FileRow({ row, change }: RowProps) {
  const { t } = useTranslation();
  return (
    <li className="grid grid-cols-[28px_minmax(0,1.1fr)_minmax(0,1fr)_112px_168px] items-center gap-2 border-b border-line2 px-2 py-1 last:border-b-0">
      <input
        type="checkbox"
        aria-label={t("folder.take", { file: row.file })}
        checked={row.in}
        onChange={(e) => change({ in: e.target.checked })}
      />
      <span className="small truncate" title={row.file}>
        {row.file}
      </span>
      <input
        className="field w-full"
        aria-label={t("folder.nameOf", { file: row.file })}
        required={row.in}
        disabled={!row.in}
        maxLength={LENGTHS.STEM_NAME}
        value={row.name}
        onChange={(e) => change({ name: e.target.value })}
      />
      <GroupAndPurpose row={row} change={change} />
    </li>
  );
}

function GroupAndPurpose({ row, change }: RowProps) {
  const { t } = useTranslation();
  return (
    <>
      <select
        className="field w-full"
        aria-label={t("folder.groupOf", { file: row.file })}
        disabled={!row.in}
        value={row.group}
        onChange={(e) => change({ group: e.target.value, sure: 1 })}
      >
        {GROUPS.map((g) => (
          <option key={g} value={g}>
            {t(`groups.${g}`)}
          </option>
        ))}
      </select>
      <select
        className="field w-full"
        aria-label={t("folder.purposeOf", { file: row.file })}
        disabled={!row.in}
        value={row.purpose}
        onChange={(e) => change({ purpose: e.target.value as (typeof PLAIN)[number] })}
      >
        {PLAIN.map((p) => (
          <option key={p} value={p}>
            {t(`purpose.${p}`)}
          </option>
        ))}
      </select>
    </>
  );
}

/** What besides the stems is in the folder, and what is left out. */
function Notes({ read, dropped }: { read: NamesRead; dropped: Dropped }) {
  const { t } = useTranslation();
  const zips = dropped.files.filter((f) => isZip(f.name));
  const lists = dropped.files.filter((f) => isOffer(f.name));
  const toLearn = read.stems.filter((s) => s.purpose === "rehearsal").map((s) => s.name);
  const left = dropped.files.filter((f) => !isSound(f.name) && !isZip(f.name) && !isOffer(f.name));
  return (
    <>
      {toLearn.length > 0 && <p className="small">{t("folder.toLearn", { names: toLearn.join(", ") })}</p>}
      {zips.length > 0 && <p className="small">{t("folder.zips", { names: zips.map((f) => f.name).join(", ") })}</p>}
      {lists.length > 0 && (
        <p className="small">{t("folder.besides", { names: lists.map((f) => f.name).join(", ") })}</p>
      )}
      {left.length > 0 && (
        <p className="small">
          {t("folder.leftOut", {
            count: left.length,
            names: left
              .slice(0, 4)
              .map((f) => f.name)
              .join(", "),
          })}
        </p>
      )}
    </>
  );
}
