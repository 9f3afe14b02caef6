import { useQueryClient } from "@tanstack/react-query";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import { put } from "@/api/put";
import { useSongs, useUsual } from "@/api/queries";
import type { Song, UsualStem } from "@/api/types";
import { signed } from "@/lib/format";
import type { Edit } from "@/api/edits";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

/** Settings that others begin with: from another song, and for songs to come. */
export function StartingPoints({ song, edit }: { song: Song; edit: Edit }) {
  const { t } = useTranslation();
  const { complain, say } = useNotices();
  const client = useQueryClient();
  const songs = useSongs();
  const [from, setFrom] = useState("");
  const [open, setOpen] = useState(false);
  const keep = () =>
    void api<UsualStem[]>(`songs/${song.id}/keep-usual/`, "POST").then((usual) => {
      put(client, ["usual-stems"], usual);
      say(t("usual.kept", { count: song.stems.length }));
    }, complain);
  return (
    <section aria-label={t("usual.title")} className="flex flex-col gap-2 pb-4">
      <h2>{t("usual.title")}</h2>
      <div className="flex flex-wrap items-center gap-2">
        <select className="field" aria-label={t("usual.from")} value={from} onChange={(e) => setFrom(e.target.value)}>
          <option value="">{t("usual.from")}</option>
          {songs.data
            ?.filter((s) => s.id !== song.id)
            .map((s) => (
              <option key={s.id} value={s.id}>
                {s.title}
              </option>
            ))}
        </select>
        <button type="button" className="btn" disabled={!from} onClick={() => void edit("take_settings", { from })}>
          {t("usual.take")}
        </button>
        <button type="button" className="btn" disabled={song.stems.length === 0} onClick={keep}>
          {t("usual.keep")}
        </button>
        <button type="button" className="btn bare" onClick={() => setOpen(true)}>
          {t("usual.show")}
        </button>
      </div>
      <p className="small">{t("usual.about")}</p>
      {open && <UsualDialog onClose={() => setOpen(false)} />}
    </section>
  );
}

function UsualDialog({ onClose }: { onClose: () => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const client = useQueryClient();
  const usual = useUsual();
  const remove = (u: UsualStem) =>
    void api(`usual-stems/${u.id}/`, "DELETE").then(
      () => put<UsualStem[]>(client, ["usual-stems"], (all) => all?.filter((x) => x.id !== u.id)),
      complain,
    );
  return (
    <Dialog open onOpenChange={(now) => !now && onClose()} title={t("usual.show")} about={t("usual.listAbout")}>
      {usual.data?.length === 0 && <p className="text-soft">{t("usual.none")}</p>}
      <ul>
        {usual.data?.map((u) => (
          <li key={u.id} className="flex items-center gap-2 border-t border-line2 py-1">
            <b className="grow font-[600]">{u.name}</b>
            <span className="small">
              {[
                t(`groups.${u.group as "rhythm"}`),
                u.covers_name
                  ? t("purpose.coversName", { name: u.covers_name })
                  : t(`purpose.${u.purpose as "always"}`),
                t("levels.gainShort", { gain: signed(u.gain_db ?? 0, 1, true) }),
              ].join(" · ")}
            </span>
            <button
              type="button"
              className="btn bare text-clay"
              aria-label={t("usual.remove", { name: u.name })}
              onClick={() => remove(u)}
            >
              <Trash2 size={14} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
    </Dialog>
  );
}
