import { Play } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useVoice, useVoiceChanges } from "@/api/queries";
import type { Cues, Song, SpokenWord, Voice } from "@/api/types";
import { figure, signed } from "@/lib/format";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { PaletteDialog } from "./palette-dialog";
import { playWord } from "./play-word";
import { VoiceOptions } from "./voice-options";
import { WordsDialog } from "./words-dialog";

/** Who speaks the cues of the band: the voice, how fast and how high, its own recordings. */
export function VoicePanel({ song, cues }: { song: Song; cues: Cues | undefined }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const voice = useVoice();
  const { save } = useVoiceChanges();
  const [open, setOpen] = useState<"words" | "palette" | null>(null);
  if (!voice.data) return null;
  const wanted = save.isPending ? { ...voice.data, ...save.variables } : voice.data;
  const keep = (change: Partial<Voice>) =>
    save.mutateAsync(change).then(
      () => true,
      (error) => {
        complain(error);
        return false;
      },
    );
  const example = cues?.words.find((w) => !w.count && w.source !== "silent")?.text ?? cues?.words[0]?.text ?? "one";
  return (
    <section aria-label={t("voice.title")} className="flex flex-col gap-1.5">
      <h2>{t("voice.title")}</h2>
      <div className="flex gap-1.5">
        <select
          className="field min-w-0 grow"
          aria-label={t("voice.choose")}
          value={wanted.name}
          onChange={(e) => void keep({ name: e.target.value })}
        >
          <VoiceOptions voice={wanted} chosen={wanted.name ?? ""} />
        </select>
        <button
          type="button"
          className="btn"
          aria-label={t("voice.hearWord", { word: example })}
          onClick={() => void playWord(example).catch(complain)}
        >
          <Play size={13} aria-hidden />
        </button>
      </div>
      <SpeedAndPitch voice={wanted} keep={keep} />
      {cues && <Sources words={cues.words} />}
      <Open words={() => setOpen("words")} palette={() => setOpen("palette")} />
      {open === "palette" && <PaletteDialog voice={wanted} keep={keep} onClose={() => setOpen(null)} />}
      {open === "words" && (
        <WordsDialog song={song} cues={cues} voice={wanted} keep={keep} onClose={() => setOpen(null)} />
      )}
    </section>
  );
}

/** The ways to the words of calls and to those that are said on the spot. */
function Open({ words, palette }: { words: () => void; palette: () => void }) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap gap-1.5">
      <button type="button" className="btn" onClick={words}>
        {t("voice.words")}
      </button>
      <button type="button" className="btn" onClick={palette}>
        {t("palette.open")}
      </button>
    </div>
  );
}

interface PartProps {
  voice: Voice;
  keep: (change: Partial<Voice>) => Promise<boolean>;
}

/** How fast and how high the voice speaks; some voices have one pitch only. */
function SpeedAndPitch({ voice, keep }: PartProps) {
  const { t } = useTranslation();
  return (
    <div className="flex items-center gap-3">
      <label className="flex items-center gap-2">
        <span className="small">{t("voice.speed")}</span>
        <Typed
          className="w-[52px]"
          inputMode="decimal"
          value={(voice.speed ?? 1).toFixed(2)}
          onDone={(text) => keep({ speed: figure(text) })}
        />
      </label>
      {voice.name?.startsWith("flite/") ? null : (
        <label className="flex items-center gap-2">
          <span className="small">{t("voice.pitch")}</span>
          <Typed
            className="w-[52px]"
            inputMode="decimal"
            value={signed(voice.pitch ?? 0, 0, true)}
            onDone={(text) => keep({ pitch: figure(text) })}
          />
        </label>
      )}
    </div>
  );
}

/** Which words are the band's recordings, which the voice says, and which nobody can say. */
function Sources({ words }: { words: SpokenWord[] }) {
  const { t } = useTranslation();
  const silent = words.filter((w) => w.source === "silent");
  const recorded = words.filter((w) => w.source === "recording").length;
  const fromEngine = words.filter((w) => w.source === "engine").map((w) => w.text);
  return (
    <>
      {recorded > 0 && (
        <p className="small">
          {t("voice.ownRecordings", { count: recorded, all: words.length })}{" "}
          {fromEngine.length > 0 &&
            t("voice.missing", { words: fromEngine.slice(0, 6).join(", "), more: fromEngine.length > 6 ? " …" : "" })}
        </p>
      )}
      {silent.length > 0 && (
        <p className="border-l-4 border-l-clay bg-claybg px-2 py-1">
          {t("voice.silent", { words: silent.map((w) => w.text).join(", ") })}
        </p>
      )}
    </>
  );
}
