import { Ear, FileText, Minus, Music2, Plus, Printer } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Song } from "@/api/types";
import { sign } from "@/lib/chords";
import { Dialog } from "@/ui/dialog";
import { FilePicker } from "@/ui/file-picker";
import { Menu, MenuItem, MenuLine } from "@/ui/menu";
import { useNotices } from "@/ui/notices";

import type { Edit } from "@/api/edits";
import { ZOOMS, type Zoom } from "./zoom";

/** Zoom from the whole song to one bar. */
export function ZoomChoice({ zoom, set, step }: { zoom: Zoom; set: (zoom: Zoom) => void; step: (by: 1 | -1) => void }) {
  const { t } = useTranslation();
  return (
    <div role="group" aria-label={t("zoom.label")} className="flex items-center">
      <button
        type="button"
        className="btn bare"
        aria-label={t("zoom.smaller")}
        disabled={zoom === ZOOMS[0]}
        onClick={() => step(-1)}
      >
        <Minus size={14} aria-hidden />
      </button>
      <select
        className="field"
        aria-label={t("zoom.label")}
        value={zoom}
        onChange={(e) => set(ZOOMS.find((z) => String(z) === e.target.value) ?? 8)}
      >
        {ZOOMS.map((z) => (
          <option key={z} value={z}>
            {z === 0 ? t("zoom.whole") : t("zoom.bars", { count: z })}
          </option>
        ))}
      </select>
      <button
        type="button"
        className="btn bare"
        aria-label={t("zoom.larger")}
        disabled={zoom === ZOOMS.at(-1)}
        onClick={() => step(1)}
      >
        <Plus size={14} aria-hidden />
      </button>
    </div>
  );
}

interface ChartMenuProps {
  song: Song;
  form: string;
  edit: Edit;
  hearSections: () => void;
}

/** What is done with the chart as a whole: its text, its key, its print. */
export function ChartMenu({ song, form, edit, hearSections }: ChartMenuProps) {
  const { t } = useTranslation();
  const [text, setText] = useState(false);
  const [key, setKey] = useState(false);
  const print = (words: boolean) =>
    window.open(
      `/api/songs/${song.id}/print/?${new URLSearchParams({ ...(form !== "full" && { form }), words: String(words) })}`,
      "_blank",
      "noopener",
    );
  return (
    <>
      <Menu label={t("chartMenu.label")} align="end">
        <MenuItem onSelect={hearSections} disabled={song.stems.length === 0}>
          <Ear size={14} aria-hidden />
          {t("heard.ask")}
        </MenuItem>
        <MenuItem onSelect={() => setText(true)}>
          <FileText size={14} aria-hidden />
          {t("chartMenu.text")}
        </MenuItem>
        <MenuItem onSelect={() => setKey(true)}>
          <Music2 size={14} aria-hidden />
          {t("chartMenu.transpose")}
        </MenuItem>
        <MenuLine />
        <MenuItem onSelect={() => print(false)}>
          <Printer size={14} aria-hidden />
          {t("chartMenu.print")}
        </MenuItem>
        <MenuItem onSelect={() => print(true)}>
          <Printer size={14} aria-hidden />
          {t("chartMenu.printWords")}
        </MenuItem>
      </Menu>
      {text && <ChartText song={song} edit={edit} onClose={() => setText(false)} />}
      {key && <Transpose song={song} edit={edit} onClose={() => setKey(false)} />}
    </>
  );
}

/** Gives a text to the browser as a file. */
function saveText(name: string, text: string) {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type: "text/plain" }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

/** Chords, words and notes as ChordPro text: read here, changed here, or brought from a file. */
function ChartText({ song, edit, onClose }: { song: Song; edit: Edit; onClose: () => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const [text, setText] = useState<string | null>(null);
  useEffect(() => {
    api<{ text: string }>(`songs/${song.id}/chordpro/`).then((read) => setText(read.text), complain);
  }, [song.id, complain]);
  const take = () => void edit("read_chordpro", { text: text ?? "" }).then((done) => done && onClose());
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && onClose()}
      title={t("chartText.title")}
      about={t("chartText.about")}
    >
      <textarea
        className="field h-[46vh]! w-full py-2 font-mono text-[12.5px]"
        spellCheck={false}
        aria-label={t("chartText.title")}
        value={text ?? ""}
        disabled={text === null}
        onChange={(e) => setText(e.target.value)}
      />
      <div className="mt-3 flex flex-wrap gap-2">
        <FilePicker
          label={t("chartText.open")}
          accept=".cho,.crd,.chopro,.chordpro,.pro,.txt,text/plain"
          onFiles={(files) => void files?.[0]?.text().then(setText, complain)}
        >
          {t("chartText.open")}
        </FilePicker>
        <button
          type="button"
          className="btn"
          disabled={!text}
          onClick={() => saveText(`${song.title}.cho`, text ?? "")}
        >
          {t("chartText.save")}
        </button>
        <span className="grow" />
        <button type="button" className="btn pri" disabled={!text?.trim()} onClick={take}>
          {t("chartText.take")}
        </button>
      </div>
    </Dialog>
  );
}

function Transpose({ song, edit, onClose }: { song: Song; edit: Edit; onClose: () => void }) {
  const { t } = useTranslation();
  const first = song.chords.filter((c) => c && c !== "%").slice(0, 6);
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={t("transpose.title")} about={t("transpose.about")}>
      <p className="mb-1 text-[20px] font-[650]">{song.key || t("transpose.noKey")}</p>
      <p className="tight mb-4 min-h-[20px] text-[15px]">
        {first.length ? first.map(sign).join("  |  ") : t("transpose.noChords")}
      </p>
      <div className="flex flex-wrap gap-2">
        {([-2, -1, 1, 2] as const).map((semitones) => (
          <button key={semitones} type="button" className="btn" onClick={() => void edit("transpose", { semitones })}>
            {t(`transpose.by.${semitones}`)}
          </button>
        ))}
        <span className="grow" />
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}
