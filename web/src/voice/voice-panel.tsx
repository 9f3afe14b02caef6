import { Play } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useVoice, useVoiceChanges } from "@/api/queries";
import type { Cues, Song, Voice } from "@/api/types";
import { signed, typed } from "@/lib/format";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { playWord } from "./play-word";
import { VoiceOptions } from "./voice-options";
import { WordsDialog } from "./words-dialog";

/** Who speaks the cues of the band: the voice, how fast and how high, its own recordings. */
export function VoicePanel({ song, cues }: { song: Song; cues: Cues | undefined }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const voice = useVoice();
  const { save } = useVoiceChanges();
  const [words, setWords] = useState(false);
  if (!voice.data) return null;
  const told = save.isPending ? { ...voice.data, ...save.variables } : voice.data;
  const keep = (change: Partial<Voice>) =>
    save.mutateAsync(change).then(
      () => true,
      (error) => {
        complain(error);
        return false;
      },
    );
  const silent = cues?.words.filter((w) => w.source === "silent") ?? [];
  const recorded = cues?.words.filter((w) => w.source === "recording").length ?? 0;
  const fromEngine = cues?.words.filter((w) => w.source === "engine").map((w) => w.text) ?? [];
  const example = cues?.words.find((w) => !w.count && w.source !== "silent")?.text ?? cues?.words[0]?.text ?? "one";
  return (
    <section aria-label={t("voice.title")} className="flex flex-col gap-1.5">
      <h2>{t("voice.title")}</h2>
      <div className="flex gap-1.5">
        <select
          className="field min-w-0 grow"
          aria-label={t("voice.choose")}
          value={told.name}
          onChange={(e) => void keep({ name: e.target.value })}
        >
          <VoiceOptions voice={told} chosen={told.name ?? ""} />
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
      <div className="flex items-center gap-3">
        <label className="flex items-center gap-2">
          <span className="small">{t("voice.speed")}</span>
          <Typed
            className="w-[52px]"
            inputMode="decimal"
            value={(told.speed ?? 1).toFixed(2)}
            onDone={(text) => keep({ speed: Number(typed(text)) })}
          />
        </label>
        {told.name?.startsWith("flite/") ? null : (
          <label className="flex items-center gap-2">
            <span className="small">{t("voice.pitch")}</span>
            <Typed
              className="w-[52px]"
              inputMode="decimal"
              value={signed(told.pitch ?? 0, 0, true)}
              onDone={(text) => keep({ pitch: Number(typed(text).replace("+", "")) })}
            />
          </label>
        )}
      </div>
      {recorded > 0 && (
        <p className="small">
          {t("voice.ownRecordings", { count: recorded, all: cues?.words.length ?? 0 })}{" "}
          {fromEngine.length > 0 &&
            t("voice.missing", { words: fromEngine.slice(0, 6).join(", "), more: fromEngine.length > 6 ? " …" : "" })}
        </p>
      )}
      {silent.length > 0 && (
        <p className="border-l-4 border-l-clay bg-claybg px-2 py-1">
          {t("voice.silent", { words: silent.map((w) => w.text).join(", ") })}
        </p>
      )}
      <button type="button" className="btn self-start" onClick={() => setWords(true)}>
        {t("voice.words")}
      </button>
      {words && <WordsDialog song={song} cues={cues} voice={told} keep={keep} onClose={() => setWords(false)} />}
    </section>
  );
}
