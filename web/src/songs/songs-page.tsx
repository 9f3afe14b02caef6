import { FolderOpen, Plus } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate } from "react-router";

import { useSongs } from "@/api/queries";
import type { SongRow } from "@/api/types";
import { duration, tempo } from "@/lib/format";
import { FilePicker } from "@/ui/file-picker";
import { Trouble, Waiting } from "@/ui/states";
import { useWindow } from "@/ui/use-window";

import { type Dropped, filesIn } from "@/intake/files";
import { FolderDialog } from "@/intake/folder-dialog";
import { NewSongDialog } from "@/intake/new-song-dialog";
import { useFileDrop } from "@/intake/use-file-drop";

/** Height of a row with its gap, in px. */
const ROW = 46;

export function SongsPage() {
  const { t } = useTranslation();
  const songs = useSongs();
  const [sought, setSought] = useState("");
  const [dropped, setDropped] = useState<Dropped | null>(null);
  const take = (found: Dropped) => {
    if (found.files.length) setDropped(found);
  };
  const drop = useFileDrop(take);
  const wanted = sought.trim().toLocaleLowerCase();
  const shown = (songs.data ?? []).filter((s) => s.title.toLocaleLowerCase().includes(wanted));
  const rows = useWindow(shown.length, ROW);
  if (songs.isPending) return <Waiting />;
  if (songs.error) return <Trouble error={songs.error} again={() => void songs.refetch()} />;
  return (
    <div className={`h-full overflow-auto px-5 py-4 ${drop.className}`} onScroll={rows.onScroll} {...drop.handlers}>
      <div className="mb-3 flex items-end gap-3">
        <h1>{t("places.songs")}</h1>
        <span className="grow" />
        <input
          type="search"
          className="field w-[220px]"
          placeholder={t("songs.find")}
          aria-label={t("songs.find")}
          value={sought}
          onChange={(e) => setSought(e.target.value)}
        />
        <FilePicker label={t("songs.fromFolder")} folder onFiles={(files) => take(filesIn(files))}>
          <FolderOpen size={14} aria-hidden />
          {t("songs.fromFolder")}
        </FilePicker>
        <NewSong />
      </div>
      {shown.length ? (
        <Songs songs={shown} rows={rows} />
      ) : (
        <p className="mt-10 text-center text-soft">
          {songs.data.length ? t("songs.noneFound", { sought }) : t("songs.none")}
        </p>
      )}
      <p className="small mt-3">{t("songs.dropFolder")}</p>
      {dropped && <FolderDialog dropped={dropped} onClose={() => setDropped(null)} />}
    </div>
  );
}

function NewSong() {
  const { t } = useTranslation();
  const navigate = useNavigate();
  const [adding, setAdding] = useState(false);
  return (
    <>
      <button type="button" className="btn pri" onClick={() => setAdding(true)}>
        <Plus size={14} aria-hidden />
        {t("songs.new")}
      </button>
      <NewSongDialog open={adding} onOpenChange={setAdding} onMade={(song) => void navigate(`/songs/${song.id}`)} />
    </>
  );
}

/** The rows that are in sight; those above and below are room without content. */
function Songs({ songs, rows }: { songs: SongRow[]; rows: ReturnType<typeof useWindow> }) {
  const { t } = useTranslation();
  return (
    <table className="w-full border-separate border-spacing-y-[5px] text-left">
      <thead>
        <tr className="[&_th]:px-3 [&_th]:text-[12px] [&_th]:font-[650] [&_th]:text-soft">
          <th scope="col">{t("songs.song")}</th>
          <th scope="col">{t("songs.tempo")}</th>
          <th scope="col">{t("songs.metre")}</th>
          <th scope="col">{t("songs.key")}</th>
          <th scope="col" className="w-[32%]">
            {t("songs.sections")}
          </th>
          <th scope="col">{t("toDo.column")}</th>
          <th scope="col" className="text-right">
            {t("songs.stems")}
          </th>
          <th scope="col" className="text-right">
            {t("songs.length")}
          </th>
        </tr>
      </thead>
      <tbody>
        {rows.above > 0 && <tr aria-hidden style={{ height: rows.above }} />}
        {songs.slice(rows.first, rows.last).map((song) => (
          <Row key={song.id} song={song} />
        ))}
        {rows.below > 0 && <tr aria-hidden style={{ height: rows.below }} />}
      </tbody>
    </table>
  );
}

function Row({ song }: { song: SongRow }) {
  const { t } = useTranslation();
  return (
    <tr className="[&_td]:border-y [&_td]:border-line [&_td]:bg-sheet [&_td]:px-3 [&_td]:py-2 [&_td:first-child]:border-l [&_td:last-child]:border-r">
      <td>
        <Link to={`/songs/${song.id}`} className="text-[15px] font-[650] [font-stretch:92%] hover:underline">
          {song.title}
        </Link>
        {song.problem && <p className="text-clay">{song.problem}</p>}
      </td>
      <td>{tempo(song.bpm)}</td>
      <td>{song.meter}</td>
      <td>{song.key || "–"}</td>
      <td>
        <div
          className="flex h-[18px] gap-[2px]"
          role="img"
          aria-label={t("songs.sectionsOf", { names: song.sections.map((s) => s.name).join(", ") })}
        >
          {song.sections.map((s, i) => (
            <span
              key={i}
              title={`${s.name} · ${s.bars}`}
              className={`k${s.colour} min-w-[3px] border-t-[3px] border-[var(--k)] bg-[var(--kb)]`}
              style={{ flex: s.bars }}
            />
          ))}
        </div>
      </td>
      <td>
        <Left song={song} />
      </td>
      <td className="text-right">{song.stems || <span className="small">{t("songs.clickAlone")}</span>}</td>
      <td className="text-right">{duration(song.seconds)}</td>
    </tr>
  );
}

/** How many things of a song are left to do; its page says which. */
function Left({ song }: { song: SongRow }) {
  const { t } = useTranslation();
  const wrong = song.to_do.some((one) => one.severity === "wrong");
  if (!song.to_do.length) return <span className="text-soft">–</span>;
  return (
    <span className={`tag whitespace-nowrap ${wrong ? "bg-claybg! text-clay!" : ""}`}>
      {t("toDo.count", { count: song.to_do.length })}
    </span>
  );
}
