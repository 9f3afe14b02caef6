import type { TFunction } from "i18next";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { BandEntry, BandShow, BandState, BandStep } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { sign } from "@/lib/chords";
import { beatUnit, tempo } from "@/lib/format";

import { Beating } from "./beating";
import { Mix } from "./mix";
import { Sections } from "./sections";
import type { Band } from "./use-band";
import { useKept, useKeptText } from "./use-kept";

interface Props {
  band: Band;
  show: BandShow;
  state: BandState;
  bright: boolean;
  setBright: (on: boolean) => void;
}

const TYPE = "band-large";

/** What a player needs to see: the section, how long it goes on, what comes, the chords, the beat. */
export function BandView({ band, show, state, bright, setBright }: Props) {
  const { t } = useTranslation();
  const [large, setLarge] = useKept(TYPE);
  const [said, setSaid] = useState(false);
  const entry = show.entries[state.entry];
  const step = entry?.steps[state.step];
  if (!entry || !step || !band.phone) return null;
  const { phone, line } = band;
  const next = state.coming?.step === null ? undefined : entry.steps[state.coming?.step ?? -1];
  return (
    <main
      aria-label={t("band.title")}
      className={`flex min-h-dvh flex-1 flex-col gap-[12px] px-[18px] py-[14px] [--fit:1] landscape:grid landscape:h-dvh landscape:min-h-0 landscape:flex-none landscape:grid-cols-2 landscape:grid-rows-[auto_auto_minmax(0,1fr)_auto] landscape:gap-x-6 landscape:gap-y-2 landscape:[--fit:0.75]`}
      style={{ "--band": large ? 1.3 : 1 } as React.CSSProperties}
    >
      <div className="flex justify-between gap-3 text-[15px] text-soft landscape:col-span-2">
        <h1 className="min-w-0 truncate text-[15px]! font-normal!">{titleOf(entry, state, t)}</h1>
        <span className="flex-none">{`${beatUnit(entry.unit)} ${tempo(entry.bpm)} · ${step.meter}`}</span>
      </div>
      <Here step={step} state={state} />
      <div className="flex min-w-0 flex-col gap-[12px]">
        <Chords entry={entry} step={step} next={next} state={state} />
        <Next show={show} state={state} next={next} />
      </div>
      <div className="flex min-h-0 flex-1 flex-col overflow-auto landscape:col-start-1">
        <BesideBeat
          key={`${entry.song}:${step.section}`}
          band={band}
          entry={entry}
          step={step}
          state={state}
          said={said}
        />
      </div>
      <div className="min-h-0 overflow-auto landscape:col-start-2">
        {phone.right === "sections" && <Sections entry={entry} state={state} press={line?.press} said={band.said} />}
        {phone.right === "own_mix" && <Mix show={show} state={state} player={phone.player} press={line?.press} />}
      </div>
      <Foot
        name={phone.name}
        pulled={state.house_pulled}
        turns={{ said, large, bright }}
        turn={{ said: setSaid, large: setLarge, bright: setBright }}
      />
    </main>
  );
}

type Turns<Of> = Record<"said" | "large" | "bright", Of>;
const FOOT = { said: "band.words", large: "band.large", bright: "band.bright" } as const;

interface FootProps {
  name: string;
  pulled: boolean;
  turns: Turns<boolean>;
  turn: Turns<(on: boolean) => void>;
}

/** Who this is, whether the house is on, and how the view is to look. */
function Foot({ name, pulled, turns, turn }: FootProps) {
  const { t } = useTranslation();
  return (
    <footer className="mt-auto flex flex-wrap items-center gap-2 text-[15px] text-soft landscape:col-span-2">
      <span className="min-w-0 grow truncate">{name}</span>
      <span className={pulled ? "font-[650] text-clay" : ""}>{t(pulled ? "band.housePulled" : "band.houseOn")}</span>
      {(["said", "large", "bright"] as const).map((one) => (
        <button
          key={one}
          type="button"
          className="btn min-h-[44px]!"
          aria-pressed={turns[one]}
          onClick={() => turn[one](!turns[one])}
        >
          {t(FOOT[one])}
        </button>
      ))}
    </footer>
  );
}

const titleOf = (entry: BandEntry, { status }: BandState, t: TFunction) =>
  status === "standby"
    ? t("stage.standsBy", { title: entry.title })
    : status === "stopped"
      ? t("stage.stoppedIn", { title: entry.title })
      : status === "finished"
        ? t("stage.over")
        : entry.title;

/** A size of type in hundredths of the screen's shorter side, and larger where that is wanted. */
const sized = (hundredths: number, leading = 1) =>
  ({ fontSize: `calc(${hundredths}vmin * var(--band) * var(--fit))`, lineHeight: leading }) as const;

/** The section and the bars that are left of it. */
function Here({ step, state }: { step: BandStep; state: BandState }) {
  const { t } = useTranslation();
  const moving = state.status === "playing" || state.status === "count_in";
  const left = moving && state.coming && !state.counting ? Math.max(0, state.coming.bar - state.bar) : null;
  return (
    <section aria-label={t("stage.now")} className={`k${step.colour} min-w-0`}>
      <div className="grid grid-cols-2 items-center gap-4">
        <div
          className="overflow-hidden border-[6px] border-[var(--k)] bg-[var(--kb)] text-center font-extrabold text-[var(--k)] [font-stretch:75%]"
          style={sized(32, 1.15)}
        >
          {step.mark}
        </div>
        <div className="min-w-0">
          <div data-testid="bars-left" className="font-[760] [font-stretch:64%]" style={sized(32, 0.88)}>
            {state.counting ? state.beat : (left ?? "–")}
          </div>
          <div className="text-[18px] text-soft">
            {state.counting
              ? t("stage.countIn")
              : left === null
                ? ""
                : t(state.coming?.turns ? "band.toRound" : "band.toEnd", { count: left })}
          </div>
        </div>
      </div>
      <p
        data-testid="section"
        className="mt-2 font-[650] break-words [font-stretch:80%]"
        style={sized(step.name.length > 18 ? 7.5 : 10, 1.08)}
      >
        {step.name}
      </p>
    </section>
  );
}

interface ChordsProps {
  entry: BandEntry;
  step: BandStep;
  next: BandStep | undefined;
  state: BandState;
}

/** The chords of four bars, and of the first bars of what comes; nothing where the song has none. */
function Chords({ entry, step, next, state }: ChordsProps) {
  const { t } = useTranslation();
  if (entry.chords.length === 0) return null;
  const chords = new Map(entry.chords.map((c) => [c.bar, sign(c.text)]));
  const bar = Math.max(step.first_bar, state.bar);
  const first = bar - ((bar - step.first_bar) % 4);
  const end = step.first_bar + step.bars;
  const bars = Array.from({ length: 4 }, (_, i) => {
    const inside = first + i < end;
    return inside ? first + i : next ? next.first_bar + (first + i - end) : null;
  });
  return (
    <ol aria-label={t("stage.bars")} className="grid grid-cols-4 border border-line">
      {bars.map((one, i) => {
        const here = state.status === "playing" && one === state.bar;
        const behind = first + i >= end;
        return (
          <li
            key={i}
            aria-current={here ? "true" : undefined}
            style={sized(5.8, 1.2)}
            className={`min-h-[52px] border-r border-line px-1 py-[10px] text-center font-[650] break-words last:border-r-0 ${here ? "bg-brassbg text-brass" : ""} ${behind ? "text-soft" : ""}`}
          >
            {one === null ? "" : (chords.get(one) ?? "·")}
          </li>
        );
      })}
    </ol>
  );
}

interface NextProps extends Pick<Props, "show" | "state"> {
  next: BandStep | undefined;
}

/** What comes after the section, or after the song. */
function Next({ show, state, next }: NextProps) {
  const { t } = useTranslation();
  const after = state.following === null ? undefined : show.entries[state.following];
  const ends = state.coming !== null && state.coming.step === null;
  const name = next?.name ?? (ends || state.status !== "playing" ? after?.title : undefined);
  const about = state.coming?.asked ? "band.askedNext" : state.coming?.turns ? "band.again" : "band.next";
  return (
    <section
      aria-label={t("stage.nextUp")}
      className={`${next ? `k${next.colour}` : ""} flex items-center gap-[14px] border-2 border-dashed border-[var(--k,var(--line))] p-[10px]`}
    >
      {next && (
        <span className="grid min-h-[52px] min-w-[52px] flex-none place-items-center border-2 border-[var(--k)] bg-[var(--kb)] px-1 text-[30px] font-extrabold text-[var(--k)] [font-stretch:75%]">
          {next.mark}
        </span>
      )}
      <span className="min-w-0">
        <b className="block font-[650] break-words" style={sized(6.6, 1.1)}>
          {name ?? t("stage.end")}
        </b>
        <small className="text-[15px] text-soft">{t(next ? about : "band.nextSong")}</small>
      </span>
    </section>
  );
}

interface BesideBeatProps extends Pick<Props, "band" | "state"> {
  entry: BandEntry;
  step: BandStep;
  said: boolean;
}

/** The words of the section, or the beat with the player's own note of it, which is kept on this phone alone. */
function BesideBeat({ band, entry, step, state, said }: BesideBeatProps) {
  const [note, setNote] = useKeptText(`band-note:${entry.song}:${step.section}`);
  if (said) return <Said step={step} note={note} setNote={setNote} />;
  return (
    <>
      {note && <p className="line-clamp-2 text-[20px] leading-[26px] whitespace-pre-wrap">{note}</p>}
      <Beating state={state} line={band.line} />
    </>
  );
}

interface SaidProps {
  step: BandStep;
  note: string;
  setNote: (note: string) => void;
}

/** The words and the note of the section, under the player's own. */
function Said({ step, note, setNote }: SaidProps) {
  const { t } = useTranslation();
  const text = [step.note, step.words].filter(Boolean).join("\n\n");
  return (
    <section aria-label={t("band.words")} className="text-[20px] leading-[28px] whitespace-pre-wrap">
      <textarea
        aria-label={t("band.ownNote", { section: step.name })}
        placeholder={t("band.ownNote", { section: step.name })}
        className="field mb-2 w-full text-[18px]!"
        rows={2}
        maxLength={LENGTHS.NOTE}
        value={note}
        onChange={(e) => setNote(e.target.value)}
      />
      {text || t("stage.noWords")}
    </section>
  );
}
