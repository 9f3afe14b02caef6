import type { TFunction } from "i18next";
import { memo } from "react";
import { useTranslation } from "react-i18next";

import type { Press, PressArgs } from "@/api/edits";
import { signed } from "@/lib/format";

import { StageButton } from "../stage-button";
import { PartLevel } from "./part-level";
import { canComeIn, isIn, type Part, scaleOf, wanted } from "./parts";

export type PartWhen = NonNullable<PressArgs<"in_out">["when"]>;

interface Props {
  part: Part;
  when: PartWhen;
  beats: number;
  press: Press;
  /** Of a feed: whether it is heard at this machine. */
  heard: boolean;
  hear: () => void;
  why: (part: string) => void;
  /** Of a treated stem: whether what it goes through is shown, and showing it. */
  opened?: boolean;
  turn?: (() => void) | undefined;
}

const BUTTON = "btn min-h-[56px]! min-w-0 px-1! text-[14px] font-[650]!";

/** A part by hand: in or out, its level, alone. */
export const PartRow = memo(function PartRow({ part, when, beats, press, heard, hear, why, opened, turn }: Props) {
  const { t } = useTranslation();
  const { now, name } = part;
  const named = { part: part.part };
  const scale = scaleOf(part);
  return (
    <li
      data-part={part.part}
      className={`grid grid-cols-[minmax(120px,200px)_104px_minmax(0,1fr)_92px_84px] items-center gap-[10px] border-b border-line2 py-[2px] ${part.kind !== "stem" ? "bg-sheet" : ""}`}
    >
      <div className="flex min-w-0 items-stretch gap-1">
        <StageButton
          className={`min-h-[48px] min-w-0 grow pl-1 text-left ${isIn(part) ? "" : "text-soft"}`}
          title={t("stage.why.part", { name })}
          onPress={() => why(wholeOf(part))}
        >
          <b className="block text-[17px] leading-tight font-[650] break-words [font-stretch:85%]">{name}</b>
          <small className="small block">{doesOf(part, t)}</small>
        </StageButton>
        {turn && (
          <StageButton
            className="btn min-w-[48px]! px-1! text-[13px]"
            pressed={opened ?? false}
            label={t("stage.parts.toneOf", { name })}
            onPress={turn}
          >
            {t("stage.parts.toneShort")}
          </StageButton>
        )}
      </div>
      {scale === "level" || scale === "switch" ? <InOut {...{ part, when, beats, press }} /> : <span />}
      {scale === "switch" ? (
        <span />
      ) : (
        <PartLevel
          name={name}
          db={now.db}
          peak={part.peak}
          scale={scale}
          set={(db) => press("level", { ...named, ...(db === null ? { off: true } : { db }), beats: 0 })}
          by={(by) => press("level", { ...named, by })}
        />
      )}
      <LevelByHand part={part} back={() => press("as_prepared", named)} />
      <Heard {...{ part, press, heard, hear }} />
    </li>
  );
});

/** The stem or the feed that goes through a part, or the part itself. */
const wholeOf = ({ kind, part, of }: Part) => of || (kind === "tone" ? `feed:${part.split(":")[1] ?? ""}` : part);

/** A feed is heard here, all else alone; what something goes through is neither. */
function Heard({ part, press, heard, hear }: Pick<Props, "part" | "press" | "heard" | "hear">) {
  const { t } = useTranslation();
  const { kind, name, now } = part;
  if (kind !== "stem" && kind !== "guide" && kind !== "feed") return <span />;
  if (kind === "feed")
    return (
      <StageButton className={BUTTON} pressed={heard} label={t("stage.hearFeed", { name })} onPress={hear}>
        {t("stage.parts.hear")}
      </StageButton>
    );
  return (
    <StageButton
      className={BUTTON}
      pressed={now.alone}
      label={t("stage.parts.aloneOf", { name })}
      onPress={() => press("alone", { part: part.part, on: !now.alone })}
    >
      {t("stage.parts.alone")}
    </StageButton>
  );
}

/** The level by hand in figures; a switch has none. */
function levelWords(t: TFunction, part: Part): string {
  const { db } = part.now;
  if (scaleOf(part) === "switch") return "";
  if (db === null) return t("stage.parts.off");
  return scaleOf(part) === "sweep" ? t("stage.parts.percent", { percent: db }) : signed(db, 1, true);
}

/** The level by hand in figures; where it is other than prepared, a button that takes it back. */
function LevelByHand({ part, back }: { part: Part; back: () => void }) {
  const { t } = useTranslation();
  const { now, name } = part;
  const words = levelWords(t, part);
  const look = "text-center text-[20px] font-[650] [font-stretch:80%]";
  if (now.db === 0 && now.on === null) return <span className={`${look} text-soft`}>{words}</span>;
  return (
    <StageButton
      className={`${BUTTON} ${look} flex-col! gap-0! text-[20px]!`}
      label={t("stage.parts.backOf", { words, name })}
      onPress={back}
    >
      {words}
      <small className="text-[11px]">{t("stage.parts.backShort")}</small>
    </StageButton>
  );
}

function InOut({ part, when, beats, press }: Pick<Props, "part" | "when" | "beats" | "press">) {
  const { t } = useTranslation();
  const { now, name } = part;
  const sounds = isIn(part);
  const on = now.waiting ? now.waiting.on : wanted(part, !sounds);
  // What is asked for is prepared, and is asked for by leaving it out.
  const ask = on ?? undefined;
  const comes = now.waiting ? (now.waiting.on ?? !sounds) : !sounds;
  const word = now.waiting
    ? t(comes ? "stage.parts.inAt" : "stage.parts.outAt", { bar: now.waiting.bar })
    : t(sounds ? "stage.parts.in" : "stage.parts.bringIn");
  const look = now.waiting
    ? "border-2! border-dashed! border-brass! text-brass!"
    : sounds
      ? "border-0! bg-pine! text-onpine!"
      : "";
  const barred = !now.waiting && !sounds && !canComeIn(part);
  return (
    <StageButton
      className={`${BUTTON} ${look}`}
      disabled={barred}
      title={barred ? t("stage.parts.notBeside") : undefined}
      label={t(now.waiting ? "stage.parts.takeBackOf" : sounds ? "stage.parts.takeOutOf" : "stage.parts.bringInOf", {
        name,
        word,
      })}
      onPress={() => press("in_out", { part: part.part, ...(ask !== undefined && { on: ask }), when, beats })}
    >
      {word}
    </StageButton>
  );
}

/** What a part does, in words. */
function doesOf({ kind, standing, player, now }: Part, t: TFunction): string {
  if (kind !== "stem") return now.on === false ? t("stage.standing.out") : t(`stage.parts.${kind}`);
  if (standing === null || standing === "sounds") return t("stage.parts.sounds");
  return t(`stage.standing.${standing}`, { name: player });
}
