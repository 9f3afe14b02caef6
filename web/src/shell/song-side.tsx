import { useQueryClient } from "@tanstack/react-query";
import { Upload as UploadIcon } from "lucide-react";
import { memo, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate } from "react-router";

import { api } from "@/api/client";
import { useTonight } from "@/api/queries";
import type { Song } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { Confirm } from "@/ui/dialog";
import { FilePicker } from "@/ui/file-picker";
import { useNotices } from "@/ui/notices";
import { TypedArea } from "@/ui/typed-area";

import { filesIn } from "@/intake/files";
import { StemList } from "@/intake/stem-list";
import { UploadList } from "@/intake/upload-list";
import type { Edit } from "@/api/edits";
import { useFileDrop } from "@/intake/use-file-drop";
import type { Uploads } from "@/intake/use-uploads";

import { SongFacts } from "./song-facts";
import { SongToDo } from "./song-to-do";

interface Props {
  song: Song;
  band: string;
  edit: Edit;
  uploads: Uploads;
  lineUp: string;
}

/** Facts and stems, which stay at the side of whatever is being done with the song. */
export const SongSide = memo(function SongSide({ song, band, edit, uploads, lineUp }: Props) {
  const { t } = useTranslation();
  const tonight = useTonight(song, lineUp, lineUp !== "");
  const drop = useFileDrop(({ files }) => void uploads.add(files));

  return (
    <aside
      aria-label={t("song.side")}
      className={`flex min-h-0 flex-col gap-[14px] overflow-auto border-r border-line px-4 py-[14px] ${drop.className}`}
      {...drop.handlers}
    >
      <Title song={song} band={band} edit={edit} />
      <SongToDo song={song} edit={edit} />
      <SongFacts song={song} edit={edit} />
      <TypedArea
        rows={2}
        maxLength={LENGTHS.NOTE}
        className="plain w-full resize-y"
        aria-label={t("song.note")}
        placeholder={t("song.note")}
        value={song.note ?? ""}
        onDone={(note) => void edit("set_facts", { note })}
      />
      <StemList song={song} edit={edit} tonight={lineUp ? tonight.data : undefined} />
      <UploadList {...uploads} />
      <div className="flex flex-col gap-2">
        <FilePicker label={t("song.addStems")} onFiles={(files) => void uploads.add(filesIn(files).files)}>
          <UploadIcon size={14} aria-hidden />
          {t("song.addStems")}
        </FilePicker>
        <p className="small text-center">{t("song.orDrop")}</p>
        <DeleteSong song={song} />
      </div>
    </aside>
  );
});

function DeleteSong({ song }: { song: Song }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const navigate = useNavigate();
  const client = useQueryClient();
  const [asking, setAsking] = useState(false);
  const remove = () =>
    void api(`songs/${song.id}/`, "DELETE").then(() => {
      void client.invalidateQueries({ queryKey: ["songs"] });
      void navigate("/songs");
    }, complain);
  return (
    <>
      <button type="button" className="btn bare mt-3 self-start text-clay" onClick={() => setAsking(true)}>
        {t("song.delete")}
      </button>
      <Confirm
        open={asking}
        onOpenChange={setAsking}
        title={t("song.deleteTitle", { title: song.title })}
        about={t("song.deleteAbout")}
        yes={t("song.delete")}
        onYes={remove}
      />
    </>
  );
}

function Title({ song, band, edit }: { song: Song; band: string; edit: Edit }) {
  const { t } = useTranslation();
  return (
    <div>
      <p className="small">
        <Link to="/songs" className="hover:underline">
          {t("places.songs")}
        </Link>{" "}
        / {band}
      </p>
      <h1 className="sr-only">{song.title}</h1>
      <TypedArea
        rows={1}
        oneLine
        className="plain field-sizing-content w-full resize-none text-[21px] leading-[25px] font-[650]! [font-stretch:88%]"
        aria-label={t("songs.title")}
        value={song.title}
        maxLength={LENGTHS.TITLE}
        onDone={(title) => void edit("set_facts", { title })}
      />
    </div>
  );
}
