import { ArrowDown, ArrowUp, Play, Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Voice } from "@/api/types";
import { LENGTHS, RANGES } from "@/generated/core";
import { Dialog } from "@/ui/dialog";
import { IconButton } from "@/ui/icon-button";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { playWord } from "./play-word";

interface Props {
  voice: Voice;
  keep: (change: Partial<Voice>) => Promise<boolean>;
  onClose: () => void;
}

/** The words that the band has said on the spot: heard, written otherwise, put in order, added. */
export function PaletteDialog({ voice, keep, onClose }: Props) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const words = voice.palette ?? [];
  const set = (palette: string[]) => keep({ palette });
  const swapped = (a: number, b: number) =>
    words.map((word, i) => (i === a ? words[b] : i === b ? words[a] : word) ?? word);
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={t("palette.title")} about={t("palette.about")}>
      <ol aria-label={t("palette.title")} className="flex flex-col">
        {words.map((word, i) => (
          <li key={word} className="flex items-center gap-1 border-t border-line2 py-1">
            <IconButton
              icon={Play}
              label={t("voice.hearWord", { word })}
              onClick={() => void playWord(word).catch(complain)}
            />
            <Typed
              className="min-w-0 grow"
              aria-label={t("palette.word", { number: i + 1 })}
              value={word}
              maxLength={LENGTHS.CUE}
              onDone={(text) => set(words.map((old) => (old === word ? text : old)))}
            />
            <IconButton
              label={t("palette.up", { word })}
              disabled={i === 0}
              onClick={() => void set(swapped(i, i - 1))}
              icon={ArrowUp}
            />
            <IconButton
              label={t("palette.down", { word })}
              disabled={i === words.length - 1}
              onClick={() => void set(swapped(i, i + 1))}
              icon={ArrowDown}
            />
            <IconButton
              label={t("palette.remove", { word })}
              onClick={() => void set(words.filter((old) => old !== word))}
              icon={Trash2}
            />
          </li>
        ))}
      </ol>
      {words.length < RANGES.PALETTE.max && <NewWord add={(word) => set([...words, word])} />}
    </Dialog>
  );
}

/** A word that is not there yet. */
function NewWord({ add }: { add: (word: string) => Promise<boolean> }) {
  const { t } = useTranslation();
  const [text, setText] = useState("");
  const done = async () => {
    if (text.trim() && (await add(text.trim()))) setText("");
  };
  return (
    <form
      className="mt-3 flex gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void done();
      }}
    >
      <input
        className="field min-w-0 grow"
        aria-label={t("palette.new")}
        placeholder={t("palette.new")}
        value={text}
        maxLength={LENGTHS.CUE}
        onChange={(e) => setText(e.target.value)}
      />
      <button type="submit" className="btn">
        {t("palette.add")}
      </button>
    </form>
  );
}
