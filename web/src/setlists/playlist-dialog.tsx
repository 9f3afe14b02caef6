import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Playlist, Setlist } from "@/api/types";
import { put } from "@/api/put";
import { dayAndClock } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";
import { Progress } from "@/ui/progress";

const OFTEN = 700;

/** The songs of a setlist made as sound files with a playlist: begun, followed, called off, saved. */
export function PlaylistDialog({ setlist, onClose }: { setlist: Setlist; onClose: () => void }) {
  const { t } = useTranslation();
  const path = `setlists/${setlist.id}/playlist/`;
  const made = useQuery({
    queryKey: ["playlist", setlist.id],
    queryFn: () => api<Playlist>(path),
    refetchInterval: ({ state }) => (state.data?.state === "working" ? OFTEN : false),
  });
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("playlist.title", { name: setlist.name })}
      about={t("playlist.about")}
    >
      {made.isPending ? (
        <Waiting />
      ) : made.error ? (
        <Trouble error={made.error} again={() => void made.refetch()} />
      ) : (
        <Made setlist={setlist} path={path} made={made.data} />
      )}
    </Dialog>
  );
}

function Made({ setlist, path, made }: { setlist: Setlist; path: string; made: Playlist }) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const { complain } = useNotices();
  const act = useMutation({
    mutationFn: (method: "POST" | "DELETE") => api<Playlist>(path, method),
    onSuccess: (now) => put(client, ["playlist", setlist.id], now),
    onError: complain,
  });
  if (made.state === "working")
    return (
      <div className="flex items-center gap-3">
        <Progress label={t("playlist.making", { percent: Math.round(100 * made.progress) })} done={made.progress} />
        <span role="status">{t("playlist.making", { percent: Math.round(100 * made.progress) })}</span>
        <button type="button" className="btn" onClick={() => act.mutate("DELETE")}>
          {t("playlist.cancel")}
        </button>
      </div>
    );
  return (
    <>
      {made.state === "refused" && <p className="mb-3 text-clay">{t("playlist.refused", { message: made.message })}</p>}
      {made.state === "done" && <p className="mb-3">{t("playlist.made", { at: dayAndClock(made.at ?? 0) })}</p>}
      <div className="flex justify-end gap-2">
        <button
          type="button"
          className={made.state === "done" ? "btn" : "btn pri"}
          disabled={act.isPending}
          onClick={() => act.mutate("POST")}
        >
          {t(made.state === "done" ? "playlist.again" : "playlist.make")}
        </button>
        {made.state === "done" && (
          <a className="btn pri" href={`/api/${path}file/`} download>
            {t("playlist.save")}
          </a>
        )}
      </div>
    </>
  );
}
