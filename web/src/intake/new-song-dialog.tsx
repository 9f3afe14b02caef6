import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, Refused } from "@/api/client";
import type { Song } from "@/api/types";
import { secondsOf } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

import { newSong, type SongFacts, SongFields } from "./song-fields";

interface Props {
  open: boolean;
  onOpenChange: (open: boolean) => void;
  onMade: (song: Song) => void;
}

/** What is typed of a new song. */
interface Draft {
  facts: SongFacts;
  length: string;
  untilStopped: boolean;
}

/** A song from its title, tempo and metre; as long as its stems, as was typed, or until it is stopped (rule C5). */
export function NewSongDialog({ open, onOpenChange, onMade }: Props) {
  const { t } = useTranslation();
  const [draft, setDraft] = useState<Draft>({
    facts: { title: "", bpm: "", meter: "" },
    length: "",
    untilStopped: false,
  });
  const create = useMadeSong((song) => {
    onOpenChange(false);
    onMade(song);
  });
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title={t("songs.new")} about={t("songs.newAbout")}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          create.mutate(draft);
        }}
      >
        <SongFields facts={draft.facts} change={(facts) => setDraft({ ...draft, facts })} />
        <Length draft={draft} change={setDraft} />
        <button type="submit" className="btn pri" disabled={create.isPending}>
          {t("songs.make")}
        </button>
      </form>
    </Dialog>
  );
}

function useMadeSong(onMade: (song: Song) => void) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const client = useQueryClient();
  return useMutation({
    mutationFn: ({ facts, length, untilStopped }: Draft) => {
      const seconds = secondsOf(length);
      const typed = length.trim() !== "" && !untilStopped;
      if (typed && Number.isNaN(seconds))
        throw new Refused([{ code: "length", message: t("songs.lengthUnread", { text: length }) }], 400);
      const asked = { ...(typed && { seconds }), ...(untilStopped && { until_stopped: true }) };
      return api<Song>("songs/", "POST", { ...newSong(facts), ...asked });
    },
    onSuccess: (song) => {
      client.setQueryData(["song", song.id], song);
      void client.invalidateQueries({ queryKey: ["songs"] });
      onMade(song);
    },
    onError: complain,
  });
}

function Length({ draft, change }: { draft: Draft; change: (draft: Draft) => void }) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap items-end gap-4">
      <label className="flex w-[150px] flex-col gap-1">
        <span className="small">{t("songs.lengthMinutes")}</span>
        <input
          className="field w-full"
          placeholder={t("songs.lengthHint")}
          disabled={draft.untilStopped}
          value={draft.length}
          onChange={(e) => change({ ...draft, length: e.target.value })}
        />
      </label>
      <label className="flex items-center gap-2 pb-[6px]">
        <input
          type="checkbox"
          checked={draft.untilStopped}
          onChange={(e) => change({ ...draft, untilStopped: e.target.checked })}
        />
        {t("songs.untilStopped")}
      </label>
    </div>
  );
}
