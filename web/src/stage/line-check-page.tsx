import { Minus, Plus } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Press, PressArgs } from "@/api/edits";
import { RANGES } from "@/generated/core";
import { signed } from "@/lib/format";

import { BesideStage, type Beside } from "./beside-stage";
import { Choices } from "./choices";
import { can, type Playing, whyNot } from "./engine-state";
import { SocketLevel } from "./socket-meter";
import { StageButton } from "./stage-button";

type Kind = NonNullable<PressArgs<"check_line">["kind"]>;

const KINDS: Kind[] = ["tone", "noise", "pulse", "voice"];
const SECONDS = ["0", "3", "6", "12"];
const STEP_DB = 3;

/** One signal on one socket at a time, from a phone while one walks along the stage (rule M11). */
export function LineCheckPage({ port }: { port: number }) {
  const { t } = useTranslation();
  return (
    <BesideStage port={port} title={t("lineCheck.title")}>
      {(beside) => <LineCheck {...beside} />}
    </BesideStage>
  );
}

function LineCheck({ show, state, stage }: Beside) {
  const { t } = useTranslation();
  const check = state.line_check;
  const [chosenKind, setKind] = useState<Kind>("tone");
  const [chosenSeconds, setSeconds] = useState("0");
  const kind = check?.kind ?? chosenKind;
  const seconds = check ? String(check.every_s) : chosenSeconds;
  const go = (part: PressArgs<"check_line">) => stage.press("check_line", { kind, every_s: Number(seconds), ...part });
  const choose = (part: { kind?: Kind; every_s?: number }) => {
    if (part.kind) setKind(part.kind);
    if (part.every_s !== undefined) setSeconds(String(part.every_s));
    if (check) go(part);
  };
  const refused = whyNot(state, "check_line");
  return (
    <div className="mx-auto flex max-w-[560px] flex-col gap-3 px-4 py-3">
      <Here check={check} state={state} />
      {refused && <p className="text-[15px] text-clay">{refused}</p>}
      <Walk check={check} state={state} press={stage.press} begin={() => go({})} />
      {stage.said?.bad && <p className="text-[15px] text-clay">{stage.said.text || t("stage.notSent")}</p>}
      <Level check={check} press={stage.press} />
      <Labelled id="check-kind" words={t("lineCheck.kind")}>
        <Choices labelledBy="check-kind" value={kind} set={(k) => choose({ kind: k })} className="grid grid-cols-4">
          {KINDS.map((k) => ({ value: k, words: t(`lineCheck.kinds.${k}`) }))}
        </Choices>
      </Labelled>
      <Labelled id="check-every" words={t("lineCheck.every")}>
        <Choices
          labelledBy="check-every"
          value={seconds}
          set={(s) => choose({ every_s: Number(s) })}
          className="grid grid-cols-4"
        >
          {SECONDS.map((s) => ({ value: s, words: s === "0" ? t("lineCheck.byPress") : t("lineCheck.after", { s }) }))}
        </Choices>
      </Labelled>
      <Sockets show={show} state={state} go={(socket) => go({ socket })} />
    </div>
  );
}

function Labelled({ id, words, children }: { id: string; words: string; children: React.ReactNode }) {
  return (
    <div>
      <p id={id} className="small mb-1">
        {words}
      </p>
      {children}
    </div>
  );
}

type Check = Playing["line_check"];

/** The socket that sounds, and what comes after it. */
function Here({ check, state }: { check: Check; state: Playing }) {
  const { t } = useTranslation();
  if (!check) return <p className="text-[17px] text-soft">{t("lineCheck.off")}</p>;
  const { socket, following } = check;
  return (
    <section
      aria-live="polite"
      className="grid grid-cols-[auto_minmax(0,1fr)] items-center gap-x-4 border-2 border-ink p-3"
    >
      <b className="row-span-2 text-[72px] leading-none font-[750] [font-stretch:75%]">{socket.number}</b>
      <span className="text-[22px] leading-tight font-[650] break-words [font-stretch:85%]">
        {socket.name || t("outputs.unnamed")}
      </span>
      <span className="grid grid-cols-[1fr_auto] text-[15px] text-soft">
        <span>{t(`lineCheck.sounds.${check.kind}`, { db: signed(check.db, 0) })}</span>
        <SocketLevel level={state.peak?.[socket.number - 1] ?? 0} bar="col-span-2" />
      </span>
      <p className={`col-span-2 mt-2 text-[17px] ${following?.headphones ? "font-[650] text-brass" : "text-soft"}`}>
        {following
          ? t(following.headphones ? "lineCheck.nextPhones" : "lineCheck.next", {
              number: following.number,
              name: following.name || t("outputs.unnamed"),
            })
          : t("lineCheck.last")}
      </p>
    </section>
  );
}

interface WalkProps {
  check: Check;
  state: Playing;
  press: Press;
  begin: () => void;
}

/** Begin; then back, onwards and end. */
function Walk({ check, state, press, begin }: WalkProps) {
  const { t } = useTranslation();
  const big = "btn min-h-[72px]! text-[19px]! font-[650]!";
  if (!check)
    return (
      <StageButton className={`${big} pri`} disabled={!can(state, "check_line")} onPress={begin}>
        {t("lineCheck.begin")}
      </StageButton>
    );
  return (
    <div className="grid grid-cols-[1fr_2fr_1fr] gap-2">
      <StageButton className={big} onPress={() => press("check_next", { by: -1 })}>
        {t("lineCheck.back")}
      </StageButton>
      <StageButton className={`${big} pri`} onPress={() => press("check_next", { by: 1 })}>
        {t("lineCheck.onwards")}
      </StageButton>
      <StageButton className={`${big} text-clay!`} onPress={() => press("check_end")}>
        {t("lineCheck.end")}
      </StageButton>
    </div>
  );
}

/** How loud it is: every line check begins at −30 dBFS. */
function Level({ check, press }: { check: Check; press: Press }) {
  const { t } = useTranslation();
  if (!check) return null;
  const { min, max } = RANGES.LINE_CHECK_DB;
  const to = (db: number) => press("check_level", { db: Math.min(max, Math.max(min, db)) });
  return (
    <div className="grid grid-cols-[72px_minmax(0,1fr)_72px] items-center gap-2">
      <StageButton
        className="btn min-h-[56px]!"
        label={t("lineCheck.softer", { db: STEP_DB })}
        disabled={check.db <= min}
        onPress={() => to(check.db - STEP_DB)}
      >
        <Minus size={20} aria-hidden />
      </StageButton>
      <output className="text-center text-[22px] font-[650]">{t("lineCheck.dbfs", { db: signed(check.db, 0) })}</output>
      <StageButton
        className="btn min-h-[56px]!"
        label={t("lineCheck.louder", { db: STEP_DB })}
        disabled={check.db >= max}
        onPress={() => to(check.db + STEP_DB)}
      >
        <Plus size={20} aria-hidden />
      </StageButton>
    </div>
  );
}

/** Every socket, to go straight to. */
function Sockets({ show, state, go }: { show: Beside["show"]; state: Playing; go: (socket: number) => void }) {
  const { t } = useTranslation();
  const now = state.line_check?.socket.number;
  return (
    <ul aria-label={t("outputs.sockets")}>
      {show.sockets.map((s) => {
        const kept = s.use === "kept";
        return (
          <li key={s.number}>
            <StageButton
              className={`grid min-h-[48px] w-full grid-cols-[36px_minmax(0,1fr)_auto] items-center gap-x-2 border-t border-line2 py-1 text-left text-[15px] ${kept ? "text-soft" : ""} ${s.number === now ? "bg-pinebg" : ""}`}
              current={s.number === now ? "step" : undefined}
              disabled={kept || !can(state, "check_line")}
              onPress={() => go(s.number)}
            >
              <b className="text-[19px]">{s.number}</b>
              <span className="min-w-0 truncate">
                {s.label || s.carries.map((c) => c.name).join(" + ") || s.printed || t("outputs.unnamed")}
                {s.headphones && <span className="text-brass"> · {t("outputs.facts.headphones")}</span>}
                {kept && <span> · {t("outputs.kept")}</span>}
              </span>
              <SocketLevel level={state.peak?.[s.number - 1] ?? 0} bar="col-span-3" />
            </StageButton>
          </li>
        );
      })}
    </ul>
  );
}
