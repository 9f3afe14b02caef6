import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Edit } from "@/api/edits";
import type { Entry, Song } from "@/api/types";
import { put } from "@/api/put";
import { HearSo, KeyTempoFields, keyTempoWords } from "@/song/key-tempo";
import { PreparingState } from "@/song/preparing-state";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

const OFTEN = 1000;
const WHOLE = 100;

interface Props {
  song: Song;
  edit: Edit;
}

type Told = NonNullable<Entry["preparing"]>;

/** The key and tempo that the band plays a song in (rule V1): said, and behind a press set, heard and prepared. */
export function Played({ song, edit }: Props) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const [semitones, percent] = [song.semitones ?? 0, song.tempo_percent ?? WHOLE];
  return (
    <>
      <dt>{t("played.one")}</dt>
      <dd>
        <button
          type="button"
          className="btn bare -ml-1.5 text-left! underline decoration-line decoration-2 underline-offset-4"
          onClick={() => setOpen(true)}
        >
          {keyTempoWords(semitones, percent, t) || t("keyTempo.asRecorded")}
        </button>
        {open && (
          <Dialog
            open
            onOpenChange={setOpen}
            title={t("played.title", { title: song.title })}
            about={t("played.about")}
          >
            <KeyTempoFields
              semitones={semitones}
              percent={percent}
              setKey={(key) => void edit("set_played", { semitones: key ?? 0 })}
              setTempo={(tempo) => void edit("set_played", { tempo })}
            />
            <p className="small my-3">{t("keyTempo.about")}</p>
            {(semitones !== 0 || percent !== WHOLE) && <Prepared song={song} />}
            <HearSo {...{ semitones, percent }} song={song.id} form="full" bars={song.bars} />
            <div className="mt-4 flex justify-end">
              <button type="button" className="btn pri" onClick={() => setOpen(false)}>
                {t("common.done")}
              </button>
            </div>
          </Dialog>
        )}
      </dd>
    </>
  );
}

/** How far it is prepared so; asked again while it is being prepared. */
function Prepared({ song }: { song: Song }) {
  const client = useQueryClient();
  const { complain } = useNotices();
  const key = ["played", song.id, song.revision];
  const told = useQuery({
    queryKey: key,
    queryFn: () => api<Told>(`songs/${song.id}/played/`),
    refetchInterval: ({ state }) => (state.data?.state === "working" ? OFTEN : false),
  });
  const again = useMutation({
    mutationFn: () => api<Told>(`songs/${song.id}/played/`, "POST"),
    onSuccess: (now) => put(client, key, now),
    onError: complain,
  });
  return told.data ? <PreparingState now={told.data} again={() => again.mutate()} busy={again.isPending} /> : null;
}
