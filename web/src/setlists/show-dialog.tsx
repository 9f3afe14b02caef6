import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";

import { api } from "@/api/client";
import { useLineUps, useRigs, useSavedShow, useVoice } from "@/api/queries";
import type { Setlist, Show } from "@/api/types";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { VoiceOptions } from "@/voice/voice-options";
import { LENGTHS } from "@/generated/core";

/** A setlist on a rig, with who is on: made or changed, and taken to the stage. */
export function ShowDialog({ setlist, show, onClose }: { setlist: Setlist; show: Show | null; onClose: () => void }) {
  const { t } = useTranslation();
  const { complain, say } = useNotices();
  const navigate = useNavigate();
  const client = useQueryClient();
  const rigs = useRigs();
  const lineUps = useLineUps();
  const { create, save } = useSavedShow();
  const [title, setTitle] = useState(show?.title ?? setlist.name);
  const [rig, setRig] = useState(show?.rig ?? "");
  const [date, setDate] = useState(show?.date ?? "");
  const [lineUp, setLineUp] = useState(show?.line_up ?? "");
  const bands = useVoice();
  const [voice, setVoice] = useState(show?.voice ?? "");
  const chosen = rig || rigs.data?.[0]?.id || "";

  const keep = () => {
    const change = {
      title: title.trim(),
      setlist: setlist.id,
      rig: chosen,
      date: date || null,
      line_up: lineUp || null,
      voice,
    };
    return show ? save.mutateAsync({ id: show.id, ...change }) : create.mutateAsync(change);
  };
  const take = useMutation({
    mutationFn: async () => {
      const kept = await keep();
      await api(`shows/${kept.id}/load/`, "POST");
    },
    onSuccess: () => {
      void client.invalidateQueries({ queryKey: ["described"] });
      void navigate("/stage");
    },
    onError: complain,
  });
  const only = useMutation({
    mutationFn: keep,
    onSuccess: () => {
      say(t("show.saved"));
      onClose();
    },
    onError: complain,
  });
  const busy = take.isPending || only.isPending;

  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={show ? show.title : t("show.new")}
      about={t("show.about")}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          take.mutate();
        }}
      >
        <label className="flex flex-col gap-1">
          <span className="small">{t("show.title")}</span>
          <input
            className="field"
            required
            maxLength={LENGTHS.TITLE}
            value={title}
            onChange={(e) => setTitle(e.target.value)}
          />
        </label>
        <div className="flex gap-3">
          <label className="flex grow flex-col gap-1">
            <span className="small">{t("show.rig")}</span>
            <select className="field" value={chosen} onChange={(e) => setRig(e.target.value)} required>
              {rigs.data?.map((r) => (
                <option key={r.id} value={r.id}>
                  {r.name}
                </option>
              ))}
            </select>
          </label>
          <label className="flex flex-col gap-1">
            <span className="small">{t("show.date")}</span>
            <input type="date" className="field" value={date} onChange={(e) => setDate(e.target.value)} />
          </label>
        </div>
        {rigs.data?.length === 0 && <p className="text-clay">{t("show.noRig")}</p>}
        <label className="flex flex-col gap-1">
          <span className="small">{t("show.on")}</span>
          <select className="field" value={lineUp} onChange={(e) => setLineUp(e.target.value)}>
            <option value="">{t("lineUp.everybody")}</option>
            {lineUps.data?.map((l) => (
              <option key={l.id} value={l.id}>
                {l.name}
              </option>
            ))}
          </select>
        </label>
        {bands.data && (
          <label className="flex flex-col gap-1">
            <span className="small">{t("show.voice")}</span>
            <select className="field" value={voice} onChange={(e) => setVoice(e.target.value)}>
              <option value="">{t("show.bandsVoice")}</option>
              <VoiceOptions voice={bands.data} chosen={voice} />
            </select>
          </label>
        )}
        {take.isPending && (
          <p role="status" className="small">
            {t("show.loading")}
          </p>
        )}
        <div className="mt-2 flex justify-end gap-2">
          <button type="button" className="btn" disabled={busy || !chosen} onClick={() => only.mutate()}>
            {t("show.keep")}
          </button>
          <button type="submit" className="btn pri" disabled={busy || !chosen}>
            {t("setlist.take")}
          </button>
        </div>
      </form>
    </Dialog>
  );
}
