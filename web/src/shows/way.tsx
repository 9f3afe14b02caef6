import { Ban, Check, Minus } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Why } from "@/api/types";
import { signed } from "@/lib/format";
import { Labelled } from "@/ui/form";

const STATES = {
  open: { icon: Check, colour: "text-pine" },
  stopped: { icon: Ban, colour: "text-clay" },
  beyond: { icon: Minus, colour: "text-soft" },
} as const;

interface SourceProps {
  stems: { id: string; name: string }[];
  feeds: { id: string; name: string }[];
  of: string;
  change: (of: string) => void;
}

/** A stem, click, cues or a feed; or all that is heard. */
export function SourceField({ stems, feeds, of, change }: SourceProps) {
  const { t } = useTranslation();
  return (
    <Labelled label={t("outputs.why.source")}>
      <select className="field" value={of} onChange={(e) => change(e.target.value)}>
        <option value="">{t("outputs.why.everything")}</option>
        {stems.map((s) => (
          <option key={s.id} value={`stem:${s.id}`}>
            {s.name}
          </option>
        ))}
        <option value="click">{t("outputs.click")}</option>
        <option value="cues">{t("outputs.cues")}</option>
        {feeds.map((f) => (
          <option key={f.id} value={`feed:${f.id}`}>
            {f.name}
          </option>
        ))}
      </select>
    </Labelled>
  );
}

interface SocketFieldProps {
  sockets: { number: number; label: string; printed?: string }[];
  socket: number;
  change: (socket: number) => void;
}

/** A socket by its number, with where it leads. */
export function SocketField({ sockets, socket, change }: SocketFieldProps) {
  const { t } = useTranslation();
  return (
    <Labelled label={t("outputs.why.socket")}>
      <select className="field" value={socket} onChange={(e) => change(Number(e.target.value))}>
        {sockets.map((s) => (
          <option key={s.number} value={s.number}>
            {[s.number, s.label || s.printed].filter(Boolean).join(", ")}
          </option>
        ))}
      </select>
    </Labelled>
  );
}

/** What is heard at a socket, each with its way. */
export function AllHeard({ found }: { found: Why[] }) {
  const { t } = useTranslation();
  return (
    <section className="mt-4" aria-label={t("outputs.why.list")}>
      <h3 className="font-[650]">{t(found.length ? "outputs.why.list" : "outputs.why.nothing")}</h3>
      <ul>
        {found.map((one) => (
          <li key={one.source} className="flex justify-between border-t border-line2 py-1">
            <span>{one.path.map((step) => step.name).join(" → ")}</span>
            <span>{t("outputs.why.gain", { gain: signed(one.db ?? 0) })}</span>
          </li>
        ))}
      </ul>
    </section>
  );
}

interface OneWayProps {
  why: Why;
  mend: (() => void) | null;
}

/** A way step by step, what stops it, and the press that mends that. */
export function OneWay({ why, mend }: OneWayProps) {
  const { t } = useTranslation();
  const kind = why.stopped_by?.mend?.kind;
  return (
    <section className="mt-4" aria-live="polite">
      <h3 className="font-[650]">
        {why.heard ? t("outputs.why.heard", { gain: signed(why.db ?? 0) }) : t("outputs.why.notHeard")}{" "}
        {why.stopped_by?.message}
      </h3>
      {mend && (
        <button type="button" className="btn mt-2" onClick={mend}>
          {t(`outputs.why.mend.${kind as "stem"}`)}
        </button>
      )}
      <ol className="mt-2">
        {why.path.map((step, i) => {
          const { icon: Icon, colour } = STATES[step.state];
          return (
            <li key={i} className="flex items-center gap-2 border-t border-line2 py-[6px]">
              <Icon size={16} className={colour} aria-label={t(`outputs.why.states.${step.state}`)} />
              <span className={`grow ${step.state === "beyond" ? "text-soft" : ""}`}>{step.name}</span>
              <span className="small">{t("outputs.why.gain", { gain: signed(step.gain_db) })}</span>
            </li>
          );
        })}
      </ol>
    </section>
  );
}
