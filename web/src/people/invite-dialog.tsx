import { LENGTHS } from "@/generated/core";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

/** A link that signs a member of the band in once. */
export function InviteDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const [name, setName] = useState("");
  const [link, setLink] = useState("");
  const change = (now: boolean) => {
    onOpenChange(now);
    setLink("");
    setName("");
  };
  const make = () =>
    void api<{ link: string }>("sign-in-links/", "POST", { name: name.trim() })
      .then((made) => setLink(made.link))
      .catch(complain);
  return (
    <Dialog open={open} onOpenChange={change} title={t("people.invite")} about={t("people.inviteAbout")}>
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          make();
        }}
      >
        <label className="flex flex-col gap-1">
          <span className="small">{t("people.who")}</span>
          <input
            className="field"
            value={name}
            onChange={(e) => setName(e.target.value)}
            required
            maxLength={LENGTHS.NAME}
          />
        </label>
        <button type="submit" className="btn pri">
          {t("people.makeLink")}
        </button>
        {link && (
          <label className="flex flex-col gap-1">
            <span className="small">{t("people.link")}</span>
            <input className="field" readOnly value={link} onFocus={(e) => e.target.select()} />
          </label>
        )}
      </form>
    </Dialog>
  );
}
