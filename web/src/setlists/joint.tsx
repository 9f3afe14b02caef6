import { Play, Square } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Entry, EntryChange, SetlistLeft } from "@/api/types";
import { LOUDNESS_STEP_LU, PADS } from "@/generated/core";
import { duration, secondsOf, signed } from "@/lib/format";
import { Typed } from "@/ui/typed";

import { COLUMNS } from "./columns";

const ROPE = {
  wait: "w-[2px] bg-line",
  attacca: "w-[4px] bg-ink",
  after: "w-[2px] bg-[repeating-linear-gradient(var(--soft)_0_3px,transparent_3px_6px)]",
};
export type Step = SetlistLeft["steps"][number];
const FASTER_PERCENT = 1;

export interface JoinEars {
  /** The entry whose join is heard now. */
  heard: string;
  hear: (entry: Entry) => void;
}

interface Props {
  entry: Entry;
  title: string;
  change: (part: Partial<EntryChange>) => void;
}

/** What happens between an entry and the next; how the next one differs, and the join to be heard, where it is a song. */
export function Joint({ entry, title, change, step, ears }: Props & { step: Step | undefined; ears: JoinEars }) {
  const { t } = useTranslation();
  return (
    <div className={`${COLUMNS} min-h-[29px]`}>
      <span className="col-span-3" />
      <i className={`block h-full justify-self-center ${ROPE[entry.link]}`} />
      <span className="col-span-6 flex items-center gap-2 text-soft">
        <select
          className="field plain min-h-[24px]! py-0! text-soft"
          aria-label={t("setlist.after", { title })}
          value={entry.link}
          onChange={(e) => change({ link: e.target.value as Entry["link"], link_seconds: 0 })}
        >
          <option value="wait">{t("link.wait")}</option>
          <option value="attacca">{t("link.attacca")}</option>
          <option value="after">{t("link.after")}</option>
        </select>
        {entry.link === "wait" && <Talk entry={entry} title={title} change={change} />}
        {entry.link === "after" && <Silence entry={entry} title={title} change={change} />}
        {entry.link !== "attacca" && step && <Pad entry={entry} title={title} change={change} />}
        <span className="grow" />
        {step && <Steps step={step} />}
        {step && <HearJoin entry={entry} title={title} ears={ears} />}
      </span>
    </div>
  );
}

function Silence({ entry, change }: Props) {
  const { t } = useTranslation();
  return (
    <>
      <Typed
        className="plain min-h-[24px]! w-[44px] py-0!"
        inputMode="decimal"
        aria-label={t("link.seconds")}
        value={String(entry.link_seconds)}
        onDone={(s) => change({ link_seconds: Number(s.replace(",", ".")) })}
      />
      {t("link.secondsShort")}
    </>
  );
}

/** How long is talked before the next song, about. */
function Talk({ entry, title, change }: Props) {
  const { t } = useTranslation();
  const talks = (text: string) => {
    const seconds = text ? secondsOf(text) : 0;
    if (!Number.isNaN(seconds)) change({ link_seconds: seconds });
    return Promise.resolve(!Number.isNaN(seconds));
  };
  return (
    <label className="flex items-center gap-1">
      {t("link.talk")}
      <Typed
        className="plain min-h-[24px]! w-[48px] py-0!"
        aria-label={t("link.talkAfter", { title })}
        placeholder="0:00"
        value={entry.link_seconds ? duration(entry.link_seconds) : ""}
        onDone={talks}
      />
    </label>
  );
}

/** What sounds between the two songs: nothing, the pad of the next one, or a tone in its key. */
function Pad({ entry, title, change }: Props) {
  const { t } = useTranslation();
  return (
    <select
      className="field plain min-h-[24px]! py-0! text-soft"
      aria-label={t("pad.after", { title })}
      value={entry.pad ?? ""}
      onChange={(e) => change({ pad: e.target.value as EntryChange["pad"] })}
    >
      {PADS.map((pad) => (
        <option key={pad} value={pad}>
          {t(`pad.${pad || "none"}`)}
        </option>
      ))}
    </select>
  );
}

/** How the next song differs in key, tempo and loudness. */
function Steps({ step }: { step: Step }) {
  const { t } = useTranslation();
  const { semitones, tempo_percent: percent, loudness_lu: lu } = step;
  const said = [
    semitones !== null && (semitones ? t("step.key", { count: Math.abs(semitones), by: signed(semitones, 0, true) }) : t("step.sameKey")), // prettier-ignore
    Math.abs(percent) >= FASTER_PERCENT &&
      t(percent > 0 ? "step.faster" : "step.slower", { percent: Math.abs(percent).toFixed(0) }),
  ].filter(Boolean);
  return (
    <span className="small text-right">
      {said.join(" · ")}
      {lu !== null && Math.abs(lu) >= 0.5 && (
        <span className={Math.abs(lu) >= LOUDNESS_STEP_LU ? "font-semibold text-clay" : ""}>
          {said.length > 0 && " · "}
          {t(lu > 0 ? "step.louder" : "step.softer", { lu: Math.abs(lu).toFixed(1) })}
        </span>
      )}
    </span>
  );
}

function HearJoin({ entry, title, ears }: { entry: Entry; title: string; ears: JoinEars }) {
  const { t } = useTranslation();
  const heard = ears.heard === entry.id;
  return (
    <button
      type="button"
      className="btn bare min-h-[24px]! py-0!"
      aria-label={t(heard ? "step.stop" : "step.hearOf", { title })}
      title={t(heard ? "step.stop" : "step.hearOf", { title })}
      onClick={() => ears.hear(entry)}
    >
      {heard ? <Square size={12} aria-hidden /> : <Play size={12} aria-hidden />}
    </button>
  );
}
