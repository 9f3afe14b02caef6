import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { RehearsalTempo, Song } from "@/api/types";
import { put } from "@/api/put";
import { Menu, MenuCheck, MenuItem, MenuLine } from "@/ui/menu";
import { useNotices } from "@/ui/notices";

const OFTEN = 1000;

interface Props {
  song: Song;
  /** Per cent of its tempo that the song is heard at. */
  percent: number;
  set: (percent: number) => void;
}

/** How fast the song is heard: slower to rehearse, at once or as it was prepared. */
export function TempoMenu({ song, percent, set }: Props) {
  const { t } = useTranslation();
  const [asked, setAsked] = useState(false);
  const label = t("tempos.at", { percent });
  return (
    <span onPointerDown={() => setAsked(true)} onKeyDown={() => setAsked(true)} role="presentation">
      <Menu label={label} name={t("tempos.name", { percent })} align="end">
        <MenuCheck checked={percent === 100} onChange={() => set(100)}>
          {t("tempos.written")}
        </MenuCheck>
        {asked && <Slower song={song} percent={percent} set={set} />}
      </Menu>
    </span>
  );
}

/** The tempos for rehearsal, and having them prepared. */
function Slower({ song, percent, set }: Props) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const { complain } = useNotices();
  const key = ["tempos", song.id, song.revision];
  const working = (rows: RehearsalTempo[] | undefined) => rows?.some((r) => r.state === "working") ?? false;
  const tempos = useQuery({
    queryKey: key,
    queryFn: () => api<RehearsalTempo[]>(`songs/${song.id}/tempos/`),
    refetchInterval: ({ state }) => (working(state.data) ? OFTEN : false),
  });
  const prepare = useMutation({
    mutationFn: () => api<RehearsalTempo[]>(`songs/${song.id}/tempos/`, "POST"),
    onSuccess: (rows) => put(client, key, rows),
    onError: complain,
  });
  const rows = [...(tempos.data ?? [])].reverse();
  return (
    <>
      {rows.map((row) => (
        <MenuCheck key={row.percent} checked={row.percent === percent} onChange={() => set(row.percent)}>
          {t("tempos.percent", { percent: row.percent })}
          <span className="small ml-auto pl-4">
            {row.state === "working"
              ? t("preparing.percent", { percent: Math.round(100 * row.progress) })
              : row.state === "refused"
                ? row.message
                : t(`tempos.state_${row.state}`)}
          </span>
        </MenuCheck>
      ))}
      <MenuLine />
      <MenuItem disabled={working(rows) || rows.every((r) => r.state === "ready")} onSelect={() => prepare.mutate()}>
        {t("tempos.prepare")}
      </MenuItem>
    </>
  );
}
