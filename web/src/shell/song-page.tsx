import { useTranslation } from "react-i18next";
import { Outlet } from "react-router";

import { useSong } from "@/api/queries";
import type { Song } from "@/api/types";
import { differences } from "@/song/differences";
import { ConflictDialog } from "@/ui/conflict-dialog";
import { Trouble, Waiting } from "@/ui/states";

import { usePageState, useSongId } from "./page-state";
import { SongSide } from "./song-side";

/** A song: its facts at the side, and the view that the address names. */
export function SongPage({ band }: { band: string }) {
  const id = useSongId();
  const song = useSong(id);
  if (song.isPending) return <Waiting />;
  if (song.error) return <Trouble error={song.error} again={() => void song.refetch()} />;
  return <Opened key={id} song={song.data} band={band} />;
}

function Opened({ song, band }: { song: Song; band: string }) {
  const { t } = useTranslation();
  const page = usePageState(song);
  return (
    <div className="grid h-full grid-cols-[262px_minmax(0,1fr)]">
      <SongSide song={song} band={band} edit={page.edit} uploads={page.uploads} lineUp={page.lineUp.id} />
      <Outlet context={page} />
      {page.conflict && (
        <ConflictDialog
          message={page.conflict.message}
          differences={differences(page.conflict.old, page.conflict.now)}
          yours={t("conflict.yours")}
          leave={page.conflict.leave}
          again={page.conflict.again}
        />
      )}
    </div>
  );
}
