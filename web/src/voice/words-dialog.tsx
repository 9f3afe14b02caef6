import { FolderOpen, Mic, Play, Square, Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { Refused } from "@/api/client";
import { useOwnSounds, useVoiceChanges } from "@/api/queries";
import type { Cues, OwnSound, Song, SpokenWord, Voice } from "@/api/types";
import { signed, typed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { FilePicker } from "@/ui/file-picker";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { playWord } from "./play-word";
import { useRecorder } from "./use-recorder";
import { LENGTHS } from "@/generated/core";
import { HeadRow } from "@/ui/head-row";

interface Props {
  song: Song;
  cues: Cues | undefined;
  voice: Voice;
  keep: (change: Partial<Voice>) => Promise<boolean>;
  onClose: () => void;
}

const isSound = (file: File) => /\.(wav|aiff?|flac|ogg|oga|mp3)$/i.test(file.name);

/** Sends files one after another: the names of the words they became, and what was refused. */
async function sent(files: File[], send: (file: File) => Promise<OwnSound>) {
  const [good, bad]: [string[], string[]] = [[], []];
  for (const file of files)
    try {
      good.push((await send(file)).name);
    } catch (error) {
      bad.push(error instanceof Refused ? error.message : String(error));
    }
  return { good, bad };
}

/** Every word of the song: heard, recorded, said otherwise, put earlier or later; files by the folder. */
export function WordsDialog({ song, cues, voice, keep, onClose }: Props) {
  const { t } = useTranslation();
  const { taken, wrong, recorder, recordings, take, forget } = useRecordings();
  const same = (a: string, b: string) => a.toLowerCase() === b.toLowerCase();
  const elsewhere = recordings.filter((r) => !cues?.words.some((w) => same(w.text, r.name)));
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("voice.wordsOf", { title: song.title })}
      about={t("voice.wordsAbout")}
      wide
    >
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <FilePicker label={t("voice.folder")} accept="audio/*" onFiles={(list) => void take(list)}>
          <FolderOpen size={13} aria-hidden />
          {t("voice.folder")}
        </FilePicker>
        <span className="small">{t("voice.folderAbout")}</span>
      </div>
      <Taken words={taken} wrong={wrong} />
      <table className="w-full border-collapse [&_tbody_th]:border-b [&_tbody_th]:border-line2 [&_td]:border-b [&_td]:border-line2 [&_td]:py-1 [&_td]:pr-2 [&_th]:pr-2 [&_th]:text-left [&_th]:text-[11.5px] [&_th]:font-[600] [&_th]:text-soft">
        <HeadRow
          titles={(["word", "from", "length", "onset", "shift", "instead", "do"] as const).map((c) =>
            t(`voice.col_${c}`),
          )}
        />
        <tbody>
          {cues?.words.map((word) => (
            <WordRow
              key={word.text}
              word={word}
              voice={voice}
              keep={keep}
              recorder={recorder}
              own={recordings.find((r) => same(r.name, word.text))}
              forget={forget}
            />
          ))}
        </tbody>
      </table>
      <SaidOtherwise voice={voice} keep={keep} />
      <Elsewhere recordings={elsewhere} forget={forget} />
    </Dialog>
  );
}

/** The band's own recordings of words: made with the microphone, brought from files, removed. */
function useRecordings() {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const own = useOwnSounds();
  const { add, remove } = useVoiceChanges();
  const [taken, setTaken] = useState<string[]>([]);
  const [wrong, setWrong] = useState<string[]>([]);
  const recorder = useRecorder(
    (word, content) => add.mutate({ kind: "word", name: word, file: "microphone.wav", content }, { onError: complain }),
    (reason) => setWrong([t(`voice.microphone_${reason}`)]),
  );
  const recordings = (own.data ?? []).filter((o) => o.kind === "word");
  const take = async (list: FileList | null) => {
    const { good, bad } = await sent([...(list ?? [])].filter(isSound), (file) =>
      add.mutateAsync({ kind: "word", file: file.name, content: file }),
    );
    setTaken(good);
    setWrong(bad.length || good.length ? bad : [t("voice.noFiles")]);
  };
  const forget = (id: string) => remove.mutate(id, { onError: complain });
  return { taken, wrong, recorder, recordings, take, forget };
}

interface WordProps {
  word: SpokenWord;
  voice: Voice;
  keep: Props["keep"];
  recorder: ReturnType<typeof useRecorder>;
  /** The band's own recording of the word, where there is one. */
  own: OwnSound | undefined;
  forget: (id: string) => void;
}

function WordRow({ word, voice, keep, recorder, own, forget }: WordProps) {
  const { t } = useTranslation();
  return (
    <tr>
      <th scope="row" dir="auto" className="max-w-[150px] truncate text-[13px]! font-[650]! text-ink!">
        {word.text}
      </th>
      <td className={word.source === "silent" ? "text-clay" : ""}>{t(`voice.from_${word.source}`)}</td>
      <td className="num">{word.seconds ? t("voice.seconds", { s: word.seconds.toFixed(2) }) : "–"}</td>
      <td className="num">{word.source === "silent" ? "–" : t("voice.ms", { ms: word.onset_ms.toFixed(0) })}</td>
      <SaidHow word={word} voice={voice} keep={keep} />
      <Acts word={word} recorder={recorder} own={own} forget={forget} />
    </tr>
  );
}

/** How much earlier or later the word is said, and what is said in its place. */
function SaidHow({ word, voice, keep }: Pick<WordProps, "word" | "voice" | "keep">) {
  const { t } = useTranslation();
  return (
    <>
      <td>
        <Typed
          className="w-[52px]"
          inputMode="numeric"
          aria-label={t("voice.shiftOf", { word: word.text })}
          value={signed(word.shift_ms, 0, true)}
          onDone={(ms) => keep({ shifts: { ...voice.shifts, [word.text]: Number(typed(ms).replace("+", "")) } })}
        />
      </td>
      <td>
        <Typed
          className="w-[104px]"
          dir="auto"
          maxLength={LENGTHS.NAME}
          placeholder={t("voice.asIs")}
          aria-label={t("voice.insteadOf", { word: word.text })}
          value=""
          onDone={(text) => keep({ words: { ...voice.words, [word.text]: text } })}
        />
      </td>
    </>
  );
}

/** The word is heard, recorded, or its recording removed. */
function Acts({ word, recorder, own, forget }: Pick<WordProps, "word" | "recorder" | "own" | "forget">) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const running = recorder.word === word.text;
  return (
    <td>
      <span className="flex gap-1">
        <button
          type="button"
          className="btn bare"
          aria-label={t("voice.hearWord", { word: word.text })}
          onClick={() => void playWord(word.text).catch(complain)}
        >
          <Play size={13} aria-hidden />
        </button>
        <button
          type="button"
          className={`btn bare ${running ? "text-clay" : ""}`}
          aria-pressed={running}
          aria-label={t(running ? "voice.stopRecording" : "voice.record", { word: word.text })}
          onClick={() => (running ? recorder.stop() : recorder.start(word.text))}
        >
          {running ? <Square size={13} aria-hidden /> : <Mic size={13} aria-hidden />}
        </button>
        {own && <RemoveButton own={own} remove={forget} />}
      </span>
    </td>
  );
}

/** Which files became words, and which were refused. */
function Taken({ words, wrong }: { words: string[]; wrong: string[] }) {
  const { t } = useTranslation();
  return (
    <div role="status" className="mb-2 flex flex-col gap-1 empty:hidden">
      {words.length > 0 && (
        <p className="border-l-4 border-l-pine bg-pinebg px-2 py-1">
          {t("voice.taken", { count: words.length, words: words.join(", ") })}
        </p>
      )}
      {wrong.map((sentence) => (
        <p key={sentence} className="border-l-4 border-l-clay bg-claybg px-2 py-1">
          {sentence}
        </p>
      ))}
    </div>
  );
}

function SaidOtherwise({ voice, keep }: Pick<Props, "voice" | "keep">) {
  const { t } = useTranslation();
  const said = Object.entries(voice.words ?? {});
  if (!said.length) return null;
  return (
    <section className="mt-3" aria-label={t("voice.otherwise")}>
      <h2>{t("voice.otherwise")}</h2>
      <ul className="flex flex-wrap gap-x-4">
        {said.map(([from, to]) => (
          <li key={from} className="flex items-center gap-1">
            <span dir="auto">{t("voice.saidAs", { from, to })}</span>
            <button
              type="button"
              className="btn bare"
              aria-label={t("voice.asIsAgain", { word: from })}
              onClick={() => void keep({ words: { ...voice.words, [from]: "" } })}
            >
              <Trash2 size={13} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** Recordings of words that this song does not say. */
function Elsewhere({ recordings, forget }: { recordings: OwnSound[]; forget: (id: string) => void }) {
  const { t } = useTranslation();
  if (!recordings.length) return null;
  return (
    <section className="mt-3" aria-label={t("voice.elsewhere")}>
      <h2>{t("voice.elsewhere")}</h2>
      <ul className="flex flex-wrap gap-x-4">
        {recordings.map((o) => (
          <li key={o.id} className="flex items-center gap-1">
            <span dir="auto">{o.name}</span>
            <RemoveButton own={o} remove={forget} />
          </li>
        ))}
      </ul>
    </section>
  );
}

function RemoveButton({ own, remove }: { own: OwnSound; remove: (id: string) => void }) {
  const { t } = useTranslation();
  return (
    <button
      type="button"
      className="btn bare"
      aria-label={t("voice.removeRecording", { word: own.name })}
      onClick={() => remove(own.id)}
    >
      <Trash2 size={13} aria-hidden />
    </button>
  );
}
