import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useDevices } from "@/api/devices";
import { useHandsLine } from "@/api/use-hands-line";
import type { Device, StandIn } from "@/api/types";
import { useNotices } from "@/ui/notices";
import { Waiting } from "@/ui/states";

import { FilmPlayer } from "./film-player";
import { Heard } from "./stand-in-heard";
import { Tone } from "./tone";

/** The simulated receivers: what came to each, as a keyboard would sound and a desk would light. */
export function StandInsPage({ port }: { port: number }) {
  const { t } = useTranslation();
  const { say } = useNotices();
  const [all, setAll] = useState<StandIn[] | null>(null);
  const { line } = useHandsLine(port, {
    onNow: () => undefined,
    onSignal: () => undefined,
    onProblem: say,
    onStandIns: setAll,
  });
  const devices = useDevices().data?.devices ?? [];
  return (
    <div className="flex h-full flex-col gap-4 overflow-auto px-5 pt-[14px] pb-6">
      <div>
        <h1>{t("standIns.title")}</h1>
        <p className="text-soft">{t("standIns.about")}</p>
      </div>
      {line !== "there" && line !== "opening" && (
        <p role="status" className="panel px-3 py-2">
          {t(`hands.line.${line}`)}
        </p>
      )}
      {all === null ? (
        <Waiting />
      ) : (
        <div className="grid grid-cols-2 gap-4">
          {all.map((one) => {
            const own = devices.filter((d) => d.port === one.name);
            if (one.kind === "film") return <FilmPlayer key={one.name} one={one} />;
            return one.kind === "keyboard" ? (
              <Keyboard key={one.name} one={one} devices={own} />
            ) : (
              <Desk key={one.name} one={one} devices={own} />
            );
          })}
        </div>
      )}
    </div>
  );
}

interface Props {
  one: StandIn;
  /** The devices that send to its port. */
  devices: Device[];
}

/** A keyboard: its program, what is held, and a simple tone of it. */
function Keyboard({ one, devices }: Props) {
  const { t } = useTranslation();
  const [heard, setHeard] = useState(false);
  const tone = useRef<Tone | null>(null);
  useEffect(() => () => tone.current?.close(), []);
  useEffect(() => {
    if (heard) tone.current?.play(one.notes, one.program ?? 1, one.controllers["11"] ?? 127);
  }, [heard, one]);
  const turn = () => {
    if (heard) tone.current?.close();
    else tone.current = new Tone();
    setHeard(!heard);
  };
  const name = named(devices, (send) => send.kind === "program" && send.program === one.program);
  return (
    <section aria-label={one.name} className="flex flex-col gap-2 border border-line bg-sheet px-4 py-3">
      <div className="flex items-baseline gap-3">
        <h2 className="text-[15px]!">{one.name}</h2>
        <span className="grow" />
        <button type="button" className="btn" aria-pressed={heard} onClick={turn}>
          {t("standIns.hear")}
        </button>
      </div>
      <p className="text-[30px] font-[650] [font-stretch:80%]">
        {one.program === null ? t("standIns.noProgram") : name ? `${one.program} · ${name}` : String(one.program)}
      </p>
      <p className="small">{t("standIns.bank", { bank: one.bank })}</p>
      <Keys notes={one.notes} />
      <Controllers one={one} />
      <Heard one={one} />
    </section>
  );
}

const [LOWEST, KEYS] = [36, 61];
const isBlack = (note: number) => [1, 3, 6, 8, 10].includes(note % 12);

/** Five octaves of keys; those that sound are filled. */
function Keys({ notes }: { notes: number[] }) {
  const { t } = useTranslation();
  const sounding = notes.length ? notes.join(", ") : t("standIns.silent");
  return (
    <div
      role="img"
      aria-label={t("standIns.sounding", { notes: sounding })}
      className="flex h-[64px] gap-px bg-line p-px"
    >
      {Array.from({ length: KEYS }, (_, i) => LOWEST + i).map((note) => (
        <span
          key={note}
          className={`grow ${notes.includes(note) ? "bg-brassline" : isBlack(note) ? "h-[40px] bg-ink" : "bg-paper"}`}
        />
      ))}
    </div>
  );
}

/** A desk: the scene that was called last as a colour, and what its faders were set to. */
function Desk({ one, devices }: Props) {
  const { t } = useTranslation();
  const scene = one.scene;
  const name = named(devices, (send) => send.kind === "note" && send.note === scene);
  return (
    <section aria-label={one.name} className="flex flex-col gap-2 border border-line bg-sheet px-4 py-3">
      <h2 className="text-[15px]!">{one.name}</h2>
      <div
        className="flex h-[150px] items-end border border-line p-3"
        style={{ background: scene === null ? "var(--ink)" : `hsl(${(scene * 47) % 360} 55% 82%)` }}
      >
        <p className={`text-[26px] font-[650] ${scene === null ? "text-paper" : "text-[#1d2723]"}`}>
          {scene === null ? t("standIns.dark") : name || t("messages.says.note", { number: scene })}
        </p>
      </div>
      <Controllers one={one} />
      <Heard one={one} />
    </section>
  );
}

type Send = Device["messages"][number]["send"];

/** What the devices call a message, if one of them has it by a name. */
function named(devices: Device[], is: (send: Send) => boolean): string {
  return devices.flatMap((d) => d.messages).find((m) => is(m.send))?.name ?? "";
}

function Controllers({ one }: { one: StandIn }) {
  const { t } = useTranslation();
  const set = Object.entries(one.controllers);
  if (set.length === 0) return null;
  return (
    <ul className="flex flex-wrap gap-2">
      {set.map(([number, value]) => (
        <li key={number} className="tag">
          {t("messages.says.controller", { number, value })}
        </li>
      ))}
    </ul>
  );
}
