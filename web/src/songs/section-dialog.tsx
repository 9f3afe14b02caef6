import { useTranslation } from "react-i18next";

import type { Section, Song } from "@/api/types";
import { Dialog } from "@/ui/dialog";
import { Typed } from "@/ui/typed";

import type { Edit } from "./use-edits";

interface Props {
  song: Song;
  section: Section;
  index: number;
  edit: Edit;
  onClose: () => void;
}

const ENDINGS = ["attacca", "repeat", "vamp", "fine", "cut"] as const;

/** Everything about one section; each change is saved as it is made. */
export function SectionDialog({ song, section, index, edit, onClose }: Props) {
  const { t } = useTranslation();
  const id = section.id;
  const last = index === song.sections.length - 1;
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={t("section.title", { mark: section.mark, name: section.name })}>
      <div className="grid grid-cols-2 gap-3">
        <label className="flex flex-col gap-1">
          <span className="small">{t("section.name")}</span>
          <Typed value={section.name} maxLength={80} list="usual-sections" onDone={(name) => void edit("rename_section", { section: id, name })} />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("section.spoken")}</span>
          <Typed value={section.cue} maxLength={80} placeholder={section.name} onDone={(cue) => void edit("rename_section", { section: id, cue })} />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("section.startsAt")}</span>
          <Typed value={String(section.first_bar)} inputMode="numeric" disabled={index === 0} onDone={(first) => void edit("move_boundary", { section: id, first })} />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("section.lasts")}</span>
          <Typed value={String(section.bars)} inputMode="numeric" onDone={(bars) => void edit("resize_section", { section: id, bars })} />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("section.ending")}</span>
          <select className="field" value={section.ending.kind} onChange={(e) => void edit("set_ending", { section: id, kind: e.target.value, times: 2 })}>
            {ENDINGS.map((kind) => (
              <option key={kind} value={kind}>
                {t(`ending.long.${kind}`)}
              </option>
            ))}
          </select>
        </label>
        {section.ending.kind === "repeat" && (
          <label className="flex flex-col gap-1">
            <span className="small">{t("section.times")}</span>
            <Typed value={String(section.ending.times ?? 2)} inputMode="numeric" onDone={(times) => void edit("set_ending", { section: id, kind: "repeat", times })} />
          </label>
        )}
      </div>
      <fieldset className="mt-4">
        <legend className="small mb-1">{t("section.colour")}</legend>
        <div className="flex gap-2">
          {[1, 2, 3, 4, 5, 6].map((colour) => (
            <button
              key={colour}
              type="button"
              className={`rm k${colour} h-[32px]! min-w-[32px]! ${colour === section.colour ? "outline-2 outline-offset-2 outline-ink" : ""}`}
              aria-label={t("section.colourName", { name: t(`colours.${colour as 1}`) })}
              aria-pressed={colour === section.colour}
              onClick={() => void edit("rename_section", { section: id, colour })}
            >
              {section.mark}
            </button>
          ))}
        </div>
      </fieldset>
      <div className="mt-5 flex justify-between">
        <button
          type="button"
          className="btn"
          disabled={last}
          onClick={() => {
            void edit("join_section", { section: id });
            onClose();
          }}
        >
          {t("section.join")}
        </button>
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}
