import { Play } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { ClickPage } from "@/api/types";
import { Typed } from "@/ui/typed";

import { beatsOf, MOST_PARTS, parted, pressed, written } from "./pattern";

interface Props {
  meter: ClickPage["meters"][number];
  set: (pattern: string) => Promise<boolean>;
  /** Plays its first bars, the click alone. */
  hear: () => void;
}

const LOOK: Record<string, string> = {
  a: "h-[42px] w-[30px] border-ink bg-ink text-onpine", b: "h-[30px] w-[30px] border-ink bg-line2", d: "h-[18px] w-[22px] border-edge bg-sheet", s: "h-[42px] w-[30px] border-dashed border-edge",
}; // prettier-ignore
const NAMES = { a: "accent", b: "beat", d: "division", s: "silent" } as const;

/** One time signature of the song, drawn beat by beat: each press changes what a beat is. */
export function PatternRow({ meter, set, hear }: Props) {
  const { t } = useTranslation();
  const beats = beatsOf(meter.pattern);
  const [metre, parts] = meter.key.split(" ");
  const put = (now: string[]) => set(written(now));
  return (
    <section
      aria-label={t("click.patternOf", { metre: meter.key })}
      className="grid grid-cols-[120px_minmax(0,1fr)_190px] items-center gap-4 border border-line bg-sheet px-3 py-2"
    >
      <div>
        <b className="text-[19px] [font-stretch:85%]">{metre}</b> <span className="small">{parts}</span>
        <p className="small">{meter.spans.map(([a, b]) => t("click.span", { first: a, last: b })).join(", ")}</p>
      </div>
      <ol className="flex flex-wrap items-end gap-x-3 gap-y-2">
        {beats.map((word, beat) => (
          <Beat key={beat} beat={beat} word={word} beats={beats} put={put} />
        ))}
      </ol>
      <div className="flex flex-col gap-1">
        <Typed
          className="w-full"
          spellCheck={false}
          aria-label={t("click.typedOf", { metre: meter.key })}
          value={meter.pattern}
          onDone={set}
        />
        <span className="flex gap-1.5">
          <button type="button" className="btn" onClick={hear} aria-label={t("click.hearOf", { metre: meter.key })}>
            <Play size={13} aria-hidden />
            {t("click.hear")}
          </button>
          {meter.pattern !== meter.usual && (
            <button type="button" className="btn bare self-start" onClick={() => set(meter.usual)}>
              {t("click.usual")}
            </button>
          )}
        </span>
      </div>
    </section>
  );
}

interface BeatProps {
  beat: number;
  /** What each part of the beat is, a letter for each. */
  word: string;
  beats: string[];
  put: (beats: string[]) => void;
}

/** A beat and its parts: each press changes what a part is. */
function Beat({ beat, word, beats, put }: BeatProps) {
  const { t } = useTranslation();
  return (
    <li className="flex flex-col gap-1">
      <span className="flex h-[44px] items-end gap-[3px]">
        {[...word].map((letter, part) => {
          const what = t(`click.is_${NAMES[letter as "a"]}`);
          return (
            <button
              key={part}
              type="button"
              className={`border-[1.5px] text-[11px] font-[650] ${LOOK[letter] ?? ""} ${part && letter === "s" ? "h-[18px]! w-[22px]!" : ""}`}
              aria-label={
                part
                  ? t("click.partOf", { beat: beat + 1, part: part + 1, what })
                  : t("click.beatOf", { beat: beat + 1, what })
              }
              onClick={() => put(pressed(beats, beat, part))}
            >
              <span aria-hidden>{part ? "" : beat + 1}</span>
            </button>
          );
        })}
      </span>
      <select
        className="field small min-h-[22px]! px-1! py-0!"
        aria-label={t("click.partsOf", { beat: beat + 1 })}
        value={word.length}
        onChange={(e) => put(parted(beats, beat, Number(e.target.value)))}
      >
        {[...new Set([...Array.from({ length: MOST_PARTS }, (_, i) => i + 1), word.length])].map((n) => (
          <option key={n} value={n}>
            ×{n}
          </option>
        ))}
      </select>
    </li>
  );
}
