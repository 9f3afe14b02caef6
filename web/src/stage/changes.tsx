import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import { useChanges } from "@/api/queries";
import type { Changes, Described } from "@/api/types";
import { type Change, changeText } from "@/shows/change-text";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

import type { Playing } from "./engine-state";

/** How much was edited since the show was loaded, to be looked at and taken in (rule P8); nothing where it is as loaded. */
export function ChangesButton({ show, state }: { show: Described | null; state: Playing }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const { data } = useChanges(state.loads);
  const changes = data?.changes ?? [];
  const problems = data?.problems ?? [];
  if (!open && !changes.length && !problems.length) return null;
  const title = show?.entries[state.position.entry]?.title ?? "";
  return (
    <>
      <button type="button" className="btn border-brassline! text-brass!" onClick={() => setOpen(true)}>
        {t("stage.changes.open", { count: Math.max(1, changes.length) })}
      </button>
      {open && <ChangesDialog changes={changes} problems={problems} title={title} onClose={() => setOpen(false)} />}
    </>
  );
}

interface DialogProps extends Changes {
  /** Of the song that plays. */
  title: string;
  onClose: () => void;
}

function ChangesDialog({ changes, problems, title, onClose }: DialogProps) {
  const { t } = useTranslation();
  const { complain, say } = useNotices();
  const client = useQueryClient();
  const take = useMutation({
    mutationFn: () => api("engine/changes/", "POST"),
    onSuccess: () => {
      say(t("stage.changes.taken"));
      onClose();
    },
    onError: complain,
    onSettled: () => client.invalidateQueries({ queryKey: ["changes"] }),
  });
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("stage.changes.title")}
      about={t("stage.changes.about")}
    >
      <div className="flex max-h-[50vh] flex-col gap-3 overflow-auto">
        <Listed heading={t("stage.changes.atOnce")} changes={changes.filter((c) => !c.waits)} />
        <Listed heading={t("stage.changes.waits", { title })} changes={changes.filter((c) => c.waits)} />
      </div>
      {problems.length > 0 && (
        <div role="alert" className="mt-3 border-l-4 border-clay pl-3">
          <p className="font-[650]">{t("stage.changes.cannot")}</p>
          {problems.map((p) => (
            <p key={p.message}>{p.message}</p>
          ))}
        </div>
      )}
      <div className="mt-4 flex justify-end gap-2">
        <button type="button" className="btn" onClick={onClose}>
          {t("stage.changes.not")}
        </button>
        <button
          type="button"
          className="btn good"
          disabled={take.isPending || problems.length > 0 || !changes.length}
          onClick={() => take.mutate()}
        >
          {t(take.isPending ? "stage.changes.taking" : "stage.changes.take")}
        </button>
      </div>
    </Dialog>
  );
}

function Listed({ heading, changes }: { heading: string; changes: Change[] }) {
  const { t } = useTranslation();
  if (!changes.length) return null;
  return (
    <section aria-label={heading}>
      <h3 className="small font-semibold!">{heading}</h3>
      <ul>
        {changes.map((c, i) => (
          <li key={i} className="border-t border-line2 py-1">
            {changeText(c, t)}
          </li>
        ))}
      </ul>
    </section>
  );
}
