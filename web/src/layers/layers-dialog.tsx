import { Layers, Square } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Edit } from "@/api/edits";
import type { Section, Song } from "@/api/types";
import { Dialog } from "@/ui/dialog";
import { Tick } from "@/ui/form";

import { type HearHere, LoopList } from "./loop-list";
import { Stacks } from "./stacks";

/** So many sections are named one by one. */
const FEW = 3;

interface Props {
  song: Song;
  edit: Edit;
  /** The sections that are chosen on the sheet. */
  chosen: Section[];
  /** Hears the song with what is not taken yet, from the chosen sections on. */
  hear: HearHere;
  hearing: boolean;
  /** Ends what is heard. */
  stop: () => void;
}

/** A button, and behind it the shelf of loops and the stacks. */
export function LayersButton(props: Props) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const close = () => {
    props.stop();
    setOpen(false);
  };
  return (
    <>
      <button type="button" className="btn" onClick={() => setOpen(true)}>
        <Layers size={14} aria-hidden />
        {t("layers.open")}
      </button>
      {open && (
        <Dialog
          open
          wide
          onOpenChange={(is) => !is && close()}
          title={t("layers.title", { title: props.song.title })}
          about={t("layers.about")}
        >
          <Inside {...props} />
        </Dialog>
      )}
    </>
  );
}

function Inside({ song, edit, chosen, hear, hearing, stop }: Props) {
  const { t } = useTranslation();
  const [where, setWhere] = useState<"all" | "chosen">("all");
  const [waits, setWaits] = useState(false);
  const names =
    chosen.length > FEW
      ? t("layers.sections", { count: chosen.length })
      : chosen.map((s) => `${s.mark} ${s.name}`).join(", ");
  const add = (loop: string) =>
    edit("add_layer", { loop, waits, ...(where === "chosen" && { sections: chosen.map((s) => s.id) }) });
  return (
    <div className="flex flex-col gap-4">
      <div className="flex flex-wrap items-center gap-x-4 gap-y-2">
        <label className="flex items-center gap-2">
          <span className="small">{t("layers.where")}</span>
          <select
            className="field max-w-[360px]"
            value={where}
            onChange={(e) => setWhere(e.target.value as typeof where)}
          >
            <option value="all">{t("layers.everywhere")}</option>
            {chosen.length > 0 && <option value="chosen">{t("layers.inChosen", { names })}</option>}
          </select>
        </label>
        <Tick label={t("layers.waitsForHands")} checked={waits} onChange={setWaits} />
        {hearing && (
          <button type="button" className="btn" onClick={stop}>
            <Square size={13} aria-hidden />
            {t("song.stopHearing")}
          </button>
        )}
      </div>
      <LoopList songKey={song.key} add={add} hear={hear} />
      <Stacks song={song} edit={edit} hear={hear} />
    </div>
  );
}
