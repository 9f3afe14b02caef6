import { useState } from "react";
import { useTranslation } from "react-i18next";

import { Dialog } from "@/ui/dialog";

import type { Playing } from "./engine-state";

type Load = NonNullable<Playing["load"]>;

const COLOURS = { calm: "text-soft", busy: "text-brass", strained: "text-clay font-bold" } as const;

/** One word for how the machine is; more of it is told when it is pressed. */
export function LoadWord({ load }: { load: Load }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const word = t(`stage.load.${load.word}`);
  return (
    <>
      <button
        type="button"
        className={`min-h-[32px] px-2 underline decoration-dotted underline-offset-4 ${COLOURS[load.word]}`}
        aria-label={t("stage.load.name", { word })}
        onClick={() => setOpen(true)}
      >
        {word}
      </button>
      {open && <LoadDialog load={load} onClose={() => setOpen(false)} />}
    </>
  );
}

function LoadDialog({ load, onClose }: { load: Load; onClose: () => void }) {
  const { t } = useTranslation();
  const reasons = load.reasons.map((r) => t(`stage.load.reason.${r as "ring"}`));
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("stage.load.title")}
      about={[
        t(`stage.load.about.${load.word}`),
        reasons.length ? t("stage.load.for", { reasons: reasons.join(", ") }) : "",
      ].join(" ")}
    >
      <Figures load={load} />
      <Parts parts={load.parts} />
      {!load.hurried && <p className="small mt-3">{t("stage.load.ordinary")}</p>}
    </Dialog>
  );
}

const percent = (share: number) => Math.round(100 * share);
const gigabytes = (megabytes: number) => (megabytes / 1024).toFixed(1);

function Figures({ load }: { load: Load }) {
  const { t } = useTranslation();
  const unknown = t("stage.load.unknown");
  const used = (share: number, free: number) =>
    t("stage.load.memoryFree", { percent: percent(share), free: gigabytes(free) });
  const of = (ms: number | null, whole: number, key: "ringOf" | "wakingOf") =>
    ms === null ? unknown : t(`stage.load.${key}`, { ms: Math.round(ms), of: Math.round(whole) });
  const rows = [
    ["processor", t("stage.load.share", { percent: percent(load.processor) })],
    ["memory", used(load.memory, load.memory_free_mb)],
    ["disk", used(load.disk, load.disk_free_mb)],
    ["temperature", load.temperature === null ? unknown : `${Math.round(load.temperature)} °C`],
    ["ring", of(load.least_ms, load.ahead_ms, "ringOf")],
    ["waking", of(load.latest_ms, load.buffer_ms, "wakingOf")],
  ] as const;
  return (
    <dl className="grid grid-cols-[minmax(0,1fr)_auto] gap-x-4 gap-y-1">
      {rows.map(([name, text]) => (
        <div key={name} className="contents">
          <dt className={load.reasons.includes(name) ? "font-bold" : ""}>{t(`stage.load.${name}`)}</dt>
          <dd className={`text-right ${load.reasons.includes(name) ? "font-bold" : ""}`}>{text}</dd>
        </div>
      ))}
    </dl>
  );
}

function Parts({ parts }: { parts: Load["parts"] }) {
  const { t } = useTranslation();
  return (
    <table className="mt-4 w-full">
      <thead>
        <tr className="small text-left">
          <th scope="col">{t("stage.load.part")}</th>
          <th scope="col" className="text-right">
            {t("stage.load.core")}
          </th>
          <th scope="col" className="text-right">
            {t("stage.load.mb")}
          </th>
        </tr>
      </thead>
      <tbody>
        {parts.map((part) => (
          <tr key={part.name} className="border-t border-line2">
            <td>{t(`stage.load.parts.${part.name as "feeder"}`)}</td>
            <td className="text-right">{t("stage.load.share", { percent: (100 * part.processor).toFixed(1) })}</td>
            <td className="text-right">{Math.round(part.memory_mb)}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
