import { Plus } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Song } from "@/api/types";
import type { Edit } from "@/api/edits";

import { FormColumn } from "./form-column";
import { SideBySide } from "./side-by-side";
import { bareSteps } from "./steps";

interface Props {
  song: Song;
  edit: Edit;
  hear: (form: string, bar: number) => void;
  draw: (form: string) => void;
}

/** The forms of a song beside one another, each a list of steps through the sections. */
export function FormsView({ song, edit, hear, draw }: Props) {
  const { t } = useTranslation();
  const [lined, setLined] = useState(false);
  const full = song.forms[0];
  const add = () => {
    const names = new Set(song.forms.map((f) => f.name));
    const name = [
      t("forms.short"),
      t("forms.long"),
      ...Array.from({ length: 60 }, (_, i) => t("forms.another", { number: i + 2 })),
    ].find((n) => !names.has(n));
    if (full) void edit("set_form", { name, steps: bareSteps(full.steps.filter((s) => s.ending.kind !== "cut")) });
  };
  return (
    <div className="flex min-h-0 flex-1 flex-col">
      <div className="flex items-center gap-3 px-5 pb-2">
        <button type="button" className="btn pri" onClick={add}>
          <Plus size={14} aria-hidden />
          {t("forms.add")}
        </button>
        <button
          type="button"
          className="btn"
          aria-pressed={lined}
          disabled={song.forms.length < 2}
          onClick={() => setLined(!lined)}
        >
          {t("forms.lineUp")}
        </button>
        <p className="small">{t(lined ? "forms.lineUpAbout" : "forms.about")}</p>
      </div>
      <div className="min-h-0 flex-1 overflow-auto px-5 pb-5">
        {lined && song.forms.length > 1 ? (
          <SideBySide song={song} />
        ) : (
          <div className="flex items-start gap-4">
            {song.forms.map((form) => (
              <FormColumn key={form.id} song={song} form={form} edit={edit} hear={hear} draw={draw} />
            ))}
          </div>
        )}
      </div>
    </div>
  );
}
