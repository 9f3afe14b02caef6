import { Trash2, Upload } from "lucide-react";
import { useRef } from "react";
import { useTranslation } from "react-i18next";

import { useOwnSounds, useVoiceChanges } from "@/api/queries";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

/** The band's own click sounds: files of one stroke, begun on their onset. */
export function OwnClicksDialog({ onClose }: { onClose: () => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const own = useOwnSounds();
  const { add, remove } = useVoiceChanges();
  const files = useRef<HTMLInputElement>(null);
  const clicks = (own.data ?? []).filter((o) => o.kind === "click");
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={t("click.ownTitle")} about={t("click.ownAbout")}>
      {clicks.length === 0 && <p className="mb-3 text-soft">{t("click.ownNone")}</p>}
      <ul className="mb-3 flex flex-col gap-1">
        {clicks.map((o) => (
          <li key={o.id} className="flex items-center gap-2 border-b border-line2 py-1">
            <span dir="auto" className="grow font-[650]">
              {o.name}
            </span>
            <span className="small num">{t("voice.seconds", { s: Number(o.seconds).toFixed(2) })}</span>
            <button
              type="button"
              className="btn bare text-clay"
              aria-label={t("click.ownRemove", { name: o.name })}
              onClick={() => remove.mutate(o.id, { onError: complain })}
            >
              <Trash2 size={14} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
      <button type="button" className="btn pri" onClick={() => files.current?.click()}>
        <Upload size={13} aria-hidden />
        {t("click.ownAdd")}
      </button>
      <input
        ref={files}
        type="file"
        hidden
        accept="audio/*"
        aria-label={t("click.ownAdd")}
        onChange={(e) => {
          const file = e.target.files?.[0];
          if (file) add.mutate({ kind: "click", file: file.name, content: file }, { onError: complain });
          e.target.value = "";
        }}
      />
    </Dialog>
  );
}
