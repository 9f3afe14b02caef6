import { Ear, EarOff, Flag } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Press } from "@/api/edits";
import type { Described, EntryShown } from "@/api/types";
import { dbfs, signed } from "@/lib/format";
import { useNotices } from "@/ui/notices";

import type { Action } from "./actions";
import type { Playing } from "./engine-state";
import { FireNow } from "./parts/fire-now";
import { SayNow } from "./parts/say-now";
import { SectionHand } from "./section-hand";
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
}

/** Outputs at the right: pulling the house, a meter for every socket, listening, recording. */
export function StageSide({ show, entry, state, press, held, listening, listen, parts }: Props) {
  const { t } = useTranslation();
  return (
    <aside
      aria-label={t("stage.outputs")}
      className="flex min-h-0 flex-col gap-[10px] overflow-auto border-l border-line px-[14px] py-3"
    >
      <PullHouse state={state} press={press} />
      {parts && <FireNow show={show} entry={entry} state={state} press={press} />}
      {parts && <SayNow show={show} press={press} />}
      <SectionHand entry={entry} state={state} press={press} held={held} />
      {!parts && <Meters show={show} state={state} />}
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
      {entry.fallback && (
        <div>
          <p className="small mb-1">{t("stage.ifAllFails")}</p>
          <StageButton
            className="btn min-h-[56px]! w-full"
            pressed={state.fallback}
            onPress={() => press("fallback", { on: !state.fallback })}
          >
            {t(state.fallback ? "stage.stemsAgain" : "stage.fullMix")}
          </StageButton>
        </div>
      )}
    </aside>
  );
}

/** The level of every socket. */
function Meters({ show, state }: Pick<Props, "show" | "state">) {
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

const FLOOR = -60;

/** The highest level of the last two seconds, in dB. */
function useHeldPeak(db: number): number {
  const [held, setHeld] = useState({ db: -Infinity, at: 0 });
  useEffect(() => {
    const now = performance.now();
    setHeld((old) => (db >= old.db || now - old.at > 2000 ? { db, at: now } : old));
  }, [db]);
  return held.db;
}

/** Peak level of a socket; the thin line is the highest of the last two seconds. */
function Meter({ number, name, level, idle }: { number: number; name: string; level: number; idle: boolean }) {
  const { t } = useTranslation();
  const db = dbfs(level);
  const held = useHeldPeak(db);
  const part = (x: number) => `${Math.max(0, Math.min(1, (x - FLOOR) / -FLOOR)) * 100}%`;
  const text = held > FLOOR ? signed(held) : t("stage.silent");
  return (
    <li
      className={`grid grid-cols-[20px_minmax(0,1fr)_auto] items-center gap-x-2 ${idle ? "text-soft" : ""}`}
      data-level={db > FLOOR ? db.toFixed(1) : ""}
    >
      <b>{number}</b>
      <span className="truncate">{name}</span>
      <span className={`text-[11.5px] ${held > -0.1 ? "font-bold text-clay" : "text-soft"}`}>
        {held > -0.1 ? t("stage.over_level") : text}
      </span>
      <span className="relative col-span-3 mt-[2px] h-[8px] bg-line2">
        <span
          className="absolute inset-y-0 left-0 bg-[linear-gradient(90deg,var(--pine)_0_78%,var(--brass)_78%_92%,var(--clay)_92%)] bg-[length:220px_8px]"
          style={{ width: part(db) }}
        />
        {held > FLOOR && <span className="absolute inset-y-[-1px] w-[2px] bg-ink" style={{ left: part(held) }} />}
      </span>
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
