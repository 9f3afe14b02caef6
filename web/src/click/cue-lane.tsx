import { Play } from "lucide-react";
import { useEffect, useRef } from "react";
import { useTranslation } from "react-i18next";

import type { CuePass, Cues, Song } from "@/api/types";

interface Props {
  song: Song;
  cues: Cues;
  /** Which pass is shown. */
  at: number;
  show: (at: number) => void;
  hear: (bar: number) => void;
}

const BEAT_PX = 92;
const LEFT = 34;
const HEARD_BARS = 2;
const WHYS = ["covered", "call", "silent"] as const;

/** One pass through a section with every word as long as it is, against the beats, and what had to give way. */
export function CueLane({ cues, at, show, hear }: Props) {
  const { t } = useTranslation();
  const shown = cues.passes[at] ?? cues.passes[0];
  if (!shown) return null;
  const bars = [...new Set(shown.beats.map((b) => b.bar))];
  const nameOf = (p: CuePass) => {
    const from = p.step ? `${p.step.mark} ${p.step.name}${p.round > 1 ? ` (${p.round})` : ""}` : t("cues.countIn");
    return p.into ? t("cues.pass", { from, into: `${p.into.mark} ${p.into.name}` }) : from;
  };
  const into = shown.into ? t("cues.into", { mark: shown.into.mark, name: shown.into.name }) : t("cues.toTheEnd");
  return (
    <section aria-label={t("cues.lane")}>
      <div className="mb-1 flex flex-wrap items-center gap-2">
        <h2 className="grow">{t("cues.lane")}</h2>
        <select
          className="field"
          aria-label={t("cues.choose")}
          value={cues.passes.indexOf(shown)}
          onChange={(e) => show(Number(e.target.value))}
        >
          {cues.passes.map((p, i) => (
            <option key={i} value={i}>
              {nameOf(p)}
            </option>
          ))}
        </select>
        {shown.step && (
          <button
            type="button"
            className="btn"
            onClick={() => hear(Math.max(bars[0] ?? 1, (bars.at(-1) ?? 1) - HEARD_BARS + 1))}
            aria-label={t("cues.hearInto", { into })}
          >
            <Play size={13} aria-hidden />
            {t("cues.hear")}
          </button>
        )}
      </div>
      <Lane shown={shown} into={into} />
      <LeftOut shown={shown} />
    </section>
  );
}

/** Words that are not said, by why. */
function LeftOut({ shown }: { shown: CuePass }) {
  const { t } = useTranslation();
  return WHYS.map((why) => {
    const words = shown.left_out.filter((m) => m.why === why).map((m) => m.text);
    return (
      words.length > 0 && (
        <p key={why} className="small mt-1" dir="auto">
          {t("cues.leftOut", { words: words.join(", "), why: t(`cues.out_${why}`) })}
        </p>
      )
    );
  });
}

function Lane({ shown, into }: { shown: CuePass; into: string }) {
  const { t } = useTranslation();
  const area = useRef<HTMLDivElement>(null);
  const perBeat = shown.beats.length ? shown.seconds / shown.beats.length : 0.5;
  const x = (s: number) => LEFT + (s / perBeat) * BEAT_PX;
  const width = x(shown.seconds) + 70;
  // A call is at the end of a section: that is what one wants to see.
  useEffect(() => {
    area.current?.scrollTo?.({ left: width });
  }, [shown, width]);
  return (
    <div
      ref={area}
      // It scrolls, so it has to be reached by keyboard (WCAG 2.1.1).
      // eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex
      tabIndex={0}
      role="group"
      aria-label={t("cues.laneOf", { into })}
      className="overflow-x-auto border border-line bg-sheet"
    >
      <div className="relative h-[104px]" style={{ width }}>
        <Beats shown={shown} x={x} />
        <WordsOnBeats shown={shown} x={x} />
        {/* Where each word is heard. */}
        <span aria-hidden>
          {shown.words.map((w) => (
            <span
              key={`${w.at_s} ${w.text}`}
              className="absolute top-[20px] h-[54px] w-[2px] border-y-8 border-clay"
              style={{ left: x(w.at_s) - 1 }}
            />
          ))}
        </span>
      </div>
    </div>
  );
}

function Beats({ shown, x }: { shown: CuePass; x: (seconds: number) => number }) {
  return (
    <span aria-hidden>
      {shown.beats.map((b) => (
        <span
          key={`${b.bar}.${b.beat}`}
          className={`absolute inset-y-0 border-l ${b.beat === 1 ? "border-l-[1.5px] border-ink" : "border-line2"}`}
          style={{ left: x(b.at_s) }}
        >
          <span className="small num whitespace-nowrap pl-1">{b.beat === 1 ? `${b.bar}.1` : b.beat}</span>
        </span>
      ))}
      <span className="absolute inset-y-0 border-l-[1.5px] border-ink" style={{ left: x(shown.seconds) }}>
        <span className="small whitespace-nowrap pl-1">{shown.into?.name}</span>
      </span>
    </span>
  );
}

/** Words as long as they are, and those that had to give way. */
function WordsOnBeats({ shown, x }: { shown: CuePass; x: (seconds: number) => number }) {
  const { t } = useTranslation();
  const beatAt = (s: number) => {
    const beat = [...shown.beats].reverse().find((b) => b.at_s <= s + 0.001);
    return beat ? t("cues.place", { bar: beat.bar, beat: beat.beat }) : "";
  };
  return (
    <ol>
      {shown.words.map((w) => (
        <li
          key={`${w.at_s} ${w.text}`}
          className={`tight absolute top-[28px] h-[38px] overflow-hidden whitespace-nowrap border-l-[3px] py-2 pl-[5px] font-[650] ${w.kind === "count" ? "border-slate bg-slatebg" : w.kind === "free" ? "border-pine bg-pinebg" : "border-brassline bg-brassbg"}`}
          style={{ left: x(w.start_s), width: Math.max(10, x(w.end_s) - x(w.start_s)) }}
          title={t(w.fast ? "cues.wordShortened" : "cues.word", { text: w.text, place: beatAt(w.at_s) })}
        >
          <span dir="auto">{w.text}</span>
          {w.fast && <span className="sr-only"> {t("cues.shortened")}</span>}
        </li>
      ))}
      {shown.left_out.map((m) => (
        <li
          key={`${m.at_s} ${m.text} out`}
          className="tight absolute bottom-[7px] h-[26px] overflow-hidden whitespace-nowrap border border-dashed border-edge px-[5px] py-[3px] text-[12px] text-soft"
          style={{ left: x(m.at_s), maxWidth: BEAT_PX - 6 }}
        >
          <s dir="auto">{m.text}</s>
          <span className="sr-only"> {t(`cues.out_${m.why}`)}</span>
        </li>
      ))}
    </ol>
  );
}
