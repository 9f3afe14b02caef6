import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";

import { LENGTHS } from "@/generated/core";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";

import { type EntryTold, useNightActs } from "./use-nights";

interface Props {
  night: string;
  entry: EntryTold;
  index: number;
  onClose: () => void;
}

/** The name of a form that is made of what was played; the way leads on to the song's forms. */
export function FormDialog({ night, entry, index, onClose }: Props) {
  const { t } = useTranslation();
  const { makeForm } = useNightActs(night);
  const navigate = useNavigate();
  const day = new Date(1000 * entry.at).toLocaleDateString("en-GB", { day: "numeric", month: "short" });
  const [name, setName] = useState(t("nights.form.named", { day }));
  const make = () =>
    makeForm.mutate(
      { entry: index, name: name.trim() },
      { onSuccess: ({ song }) => void navigate(`/songs/${song}/forms`) },
    );
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("nights.form.title", { title: entry.title })}
      about={t("nights.form.about")}
    >
      <form
        onSubmit={(e) => {
          e.preventDefault();
          make();
        }}
      >
        <Labelled label={t("forms.name")}>
          <input
            className="field"
            required
            pattern=".*\S.*"
            maxLength={LENGTHS.NAME}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </Labelled>
        <div className="mt-3 flex justify-end">
          <button type="submit" className="btn pri" disabled={makeForm.isPending}>
            {t("nights.form.make")}
          </button>
        </div>
      </form>
    </Dialog>
  );
}
