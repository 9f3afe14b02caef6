import { Ban, Check, Minus } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useWhy } from "@/api/outputs";
import { useSetlists, useShows, useSong } from "@/api/queries";
import type { Feed, Rig, Show, Song, Why } from "@/api/types";
import { signed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";
import { Trouble } from "@/ui/states";

import { useMend } from "./use-mend";

interface Props {
  rig: Rig;
  feeds: Feed[];
  /** Where it was asked at. */
  socket?: number;
  onClose: () => void;
}

const STATES = {
  open: { icon: Check, colour: "text-pine" },
  stopped: { icon: Ban, colour: "text-clay" },
  beyond: { icon: Minus, colour: "text-soft" },
} as const;

/** Why a source is heard at a socket, or not; or what it is that is heard there. */
export function WhyDialog({ rig, feeds, socket, onClose }: Props) {
  const { t } = useTranslation();
  const shows = useShows();
  const show = shows.data?.find((s) => s.rig === rig.id) ?? shows.data?.[0];
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && onClose()}
      title={t("outputs.why.title")}
      about={t("outputs.why.about")}
    >
      {show ? <Asked show={show} rig={rig} feeds={feeds} first={socket ?? 1} /> : <p>{t("outputs.why.noShow")}</p>}
      <div className="mt-5 flex justify-end">
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}

interface AskedProps {
  show: Show;
  rig: Rig;
  feeds: Feed[];
  first: number;
}

function Asked({ show, rig, feeds, first }: AskedProps) {
  const { t } = useTranslation();
  const setlists = useSetlists();
  const [asked, setAsked] = useState({ of: "", socket: first, entry: 1, bar: 1 });
  const ask = (part: Partial<typeof asked>) => setAsked({ ...asked, ...part });
  const entries = setlists.data?.find((s) => s.id === show.setlist)?.entries.filter((e) => e.song) ?? [];
  const song = useSong(entries[asked.entry - 1]?.song ?? "").data;
  const bars = song?.bars ?? 1;
  return (
    <>
      <div className="grid grid-cols-[1.3fr_1fr_1.4fr_0.5fr] gap-3">
        <SourceField song={song} feeds={feeds} of={asked.of} change={(of) => ask({ of })} />
        <Labelled label={t("outputs.why.socket")}>
          <select className="field" value={asked.socket} onChange={(e) => ask({ socket: Number(e.target.value) })}>
            {rig.sockets.map((s) => (
              <option key={s.number} value={s.number}>
                {s.label ? `${s.number}, ${s.label}` : s.number}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled label={t("outputs.why.entry")}>
          <select
            className="field"
            value={asked.entry}
            onChange={(e) => ask({ entry: Number(e.target.value), bar: 1, of: "" })}
          >
            {entries.map((e, i) => (
              <option key={e.id} value={i + 1}>
                {`${i + 1}. ${e.title}`}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled label={t("outputs.why.bar")}>
          <input
            className="field"
            type="number"
            min={1}
            max={bars}
            value={asked.bar}
            onChange={(e) => ask({ bar: Math.min(bars, Math.max(1, Number(e.target.value) || 1)) })}
          />
        </Labelled>
      </div>
      <Answer show={show} rig={rig} feeds={feeds} song={song} asked={asked} />
    </>
  );
}

interface SourceProps {
  song: Song | undefined;
  feeds: Feed[];
  of: string;
  change: (of: string) => void;
}

function SourceField({ song, feeds, of, change }: SourceProps) {
  const { t } = useTranslation();
  return (
    <Labelled label={t("outputs.why.source")}>
      <select className="field" value={of} onChange={(e) => change(e.target.value)}>
        <option value="">{t("outputs.why.everything")}</option>
        {song?.stems.map((s) => (
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

interface AnswerProps extends Omit<AskedProps, "first"> {
  song: Song | undefined;
  asked: { of: string; socket: number; entry: number; bar: number };
}

function Answer({ show, asked, ...around }: AnswerProps) {
  const { t } = useTranslation();
  const why = useWhy(show.id, asked);
  const mendOf = useMend({ ...around, again: () => void why.refetch() });
  if (why.error) return <Trouble error={why.error} again={() => void why.refetch()} />;
  if (!why.data) return <p className="small mt-4">{t("common.reading")}</p>;
  const { found } = why.data;
  const one = found.find((w) => w.source === asked.of);
  if (asked.of) return one ? <OneWay why={one} mend={mendOf(one)} /> : null;
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
function OneWay({ why, mend }: OneWayProps) {
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
