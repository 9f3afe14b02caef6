import { Ear, EarOff, Flag } from "lucide-react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Press } from "@/api/edits";
import type { Described, EntryShown } from "@/api/types";
import { dbfs } from "@/lib/format";
import { useNotices } from "@/ui/notices";

import type { Action } from "./actions";
import type { Playing } from "./engine-state";
import { FLOOR_DB } from "./held-peak";
import { FireNow } from "./parts/fire-now";
import { SayNow } from "./parts/say-now";
import { SectionHand } from "./section-hand";
import { SocketLevel } from "./socket-meter";
import { StageButton } from "./stage-button";

interface Props {
  show: Described;
  entry: EntryShown;
  state: Playing;
  press: Press;
  /** What is being held by key. */
  held: Action | null;
  listening: string | null;
  listen: (feed: string | null) => Promise<void>;
  /** Beside the parts: what is said and struck by hand, in place of the sockets. */
  parts: boolean;
  /** Asks why something is heard at a socket, or not. */
  why: (socket: number) => void;
}

/** Outputs at the right: pulling the house, a meter for every socket, listening, recording. */
export function StageSide({ show, entry, state, press, held, listening, listen, parts, why }: Props) {
  const { t } = useTranslation();
  return (
    <aside
      aria-label={t("stage.outputs")}
      className="flex min-h-0 flex-col gap-[10px] overflow-auto border-l border-line px-[14px] py-3"
    >
      <PullHouse state={state} press={press} />
      <LastResorts entry={entry} state={state} press={press} />
      {parts && <FireNow show={show} entry={entry} state={state} press={press} />}
      {parts && <SayNow show={show} press={press} />}
      <SectionHand entry={entry} state={state} press={press} held={held} />
      {!parts && <Meters show={show} state={state} why={why} />}
      <div className="mt-auto flex items-center gap-2 pt-1">
        <Listen show={show} listening={listening} listen={listen} />
        <StageButton
          className="btn min-h-[56px]! w-[56px] flex-none"
          label={t("stage.mark")}
          title={t("stage.markAbout")}
          onPress={() => press("mark")}
        >
          <Flag size={18} aria-hidden />
        </StageButton>
      </div>
      {state.device === "simulated" && !parts && <Recording on={state.recording} />}
    </aside>
  );
}

/** The level of every socket. */
function Meters({ show, state, why }: Pick<Props, "show" | "state" | "why">) {
  const { t } = useTranslation();
  return (
    <ul className="flex flex-col gap-[3px]" aria-label={t("stage.meters")}>
      {show.sockets.map((socket) => (
        <Meter
          key={socket.number}
          number={socket.number}
          name={socket.carries.map((c) => c.name).join(" + ") || socket.label || t("outputs.nothing")}
          idle={socket.carries.length === 0}
          level={state.peak?.[socket.number - 1] ?? 0}
          why={() => why(socket.number)}
        />
      ))}
    </ul>
  );
}

function PullHouse({ state, press }: Pick<Props, "state" | "press">) {
  const { t } = useTranslation();
  return (
    <StageButton
      pressed={state.house_pulled}
      onPress={() => press(state.house_pulled ? "bring_back" : "pull_house")}
      className={`min-h-[80px] flex-none rounded-[7px] border-2 border-clay text-[20px] font-[750] [font-stretch:82%] ${state.house_pulled ? "bg-clay text-paper" : "text-clay"}`}
    >
      {t(state.house_pulled ? "stage.bringBack" : "stage.pull")}
      <small className="block text-[11.5px] font-medium">
        {t(state.house_pulled ? "stage.bringBackAbout" : "stage.pullAbout")}
      </small>
    </StageButton>
  );
}

const RESORT = "btn min-h-[56px]! min-w-0 flex-1 px-2! leading-tight whitespace-normal!";

/** The full mix in place of the stems, and every tone out: where they are to be had, always in reach. */
function LastResorts({ entry, state, press }: Pick<Props, "entry" | "state" | "press">) {
  const { t } = useTranslation();
  const tones = !("tones_off" in state.unavailable);
  if (!entry.fallback && !tones) return null;
  return (
    <div>
      {entry.fallback && <p className="small mb-1">{t("stage.ifAllFails")}</p>}
      <div className="flex gap-2">
        {entry.fallback && (
          <StageButton
            className={RESORT}
            pressed={state.fallback}
            onPress={() => press("fallback", { on: !state.fallback })}
          >
            {t(state.fallback ? "stage.stemsAgain" : "stage.fullMix")}
          </StageButton>
        )}
        {tones && (
          <StageButton
            className={RESORT}
            pressed={state.tones_off}
            onPress={() => press("tones_off", { on: !state.tones_off })}
          >
            {t(state.tones_off ? "stage.tonesAgain" : "stage.tonesOff")}
          </StageButton>
        )}
      </div>
    </div>
  );
}

/** Records every socket of the simulated interface. */
function Recording({ on }: { on: boolean }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const record = () => void api("engine/recording/", "POST", { on: !on }).catch(complain);
  return (
    <div className="flex gap-2">
      <StageButton className="btn min-h-[56px]! grow" pressed={on} onPress={record}>
        {t(on ? "stage.stopRecording" : "stage.record")}
      </StageButton>
      <a className="btn min-h-[56px]!" href="/api/engine/recording/" download>
        {t("stage.recording")}
      </a>
    </div>
  );
}

interface MeterProps {
  number: number;
  name: string;
  level: number;
  idle: boolean;
  why: () => void;
}

/** The level of a socket; a press asks what is heard there, and why. */
function Meter({ number, name, level, idle, why }: MeterProps) {
  const { t } = useTranslation();
  return (
    <li data-level={dbfs(level) > FLOOR_DB ? dbfs(level).toFixed(1) : ""}>
      <StageButton
        className={`grid min-h-[30px] w-full grid-cols-[20px_minmax(0,1fr)_auto] items-center gap-x-2 text-left ${idle ? "text-soft" : ""}`}
        title={t("stage.why.at")}
        onPress={why}
      >
        <b>{number}</b>
        <span className="truncate">{name}</span>
        <SocketLevel level={level} bar="col-span-3" />
        <span className="sr-only">{t("stage.why.at")}</span>
      </StageButton>
    </li>
  );
}

/** Which feed is heard at this machine. */
function Listen({ show, listening, listen }: { show: Described; listening: string | null; listen: Props["listen"] }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  return (
    <>
      <label className="sr-only" htmlFor="listen">
        {t("stage.listen")}
      </label>
      <select
        id="listen"
        className="field min-h-[56px]! min-w-0 grow"
        value={listening ?? ""}
        onChange={(e) => {
          // Space is go again.
          e.target.blur();
          void listen(e.target.value || null).catch(complain);
        }}
      >
        <option value="">{t("stage.hearNothing")}</option>
        {show.feeds.map((f) => (
          <option key={f.id} value={f.id}>
            {t("stage.hearFeed", { name: f.name })}
          </option>
        ))}
      </select>
      {listening ? (
        <Ear size={18} className="flex-none text-pine" aria-hidden />
      ) : (
        <EarOff size={18} className="flex-none text-soft" aria-hidden />
      )}
    </>
  );
}
