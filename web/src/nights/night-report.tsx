import { Flag } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { NightTold } from "@/api/types";
import { dayAndClock, duration, signed } from "@/lib/format";
import { Trouble, Waiting } from "@/ui/states";

import { FormDialog } from "./form-dialog";
import { passages } from "./passes";
import { type EntryTold, type LevelThen, useNightActs, useNightTold } from "./use-nights";

/** What was played in a night, song by song, and what can be taken from it. */
export function NightReport({ name }: { name: string }) {
  const night = useNightTold(name);
  if (night.isPending) return <Waiting />;
  if (night.error) return <Trouble error={night.error} again={() => void night.refetch()} />;
  return (
    <>
      <Head night={night.data} />
      <Against night={night.data} />
      <ol className="mt-3 flex flex-col">
        {night.data.entries.map((entry, i) => (
          <Entry key={i} night={name} entry={entry} index={i} />
        ))}
      </ol>
    </>
  );
}

function Head({ night }: { night: NightTold }) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap items-end gap-3">
      <div className="min-w-0 grow">
        <p className="small">{night.began === null ? "" : dayAndClock(night.began)}</p>
        <h1 className="[overflow-wrap:anywhere]">{night.title}</h1>
      </div>
      <a className="btn" href={`/api/nights/${night.name}/print/`} target="_blank" rel="noreferrer">
        {t("nights.print")}
      </a>
      <a className="btn" href={`/api/nights/${night.name}/`} download>
        {t("nights.save")}
      </a>
    </div>
  );
}

/** The time it took against its slot, who was away, and what did not go well. */
function Against({ night }: { night: NightTold }) {
  const { t } = useTranslation();
  if (night.began === null || night.ended === null) return <p className="mt-3">{t("nights.nothing")}</p>;
  const took = night.ended - night.began;
  const over = night.slot ? took - 60 * night.slot.minutes : 0;
  const marks = night.entries.reduce((sum, e) => sum + e.marks.length, 0);
  return (
    <p className="mt-2 flex flex-wrap gap-x-4 gap-y-1">
      <b>{t("nights.took", { time: duration(took) })}</b>
      {night.slot && (
        <span className={over > 0 ? "font-semibold text-clay" : "text-soft"}>
          {t(over > 0 ? "nights.over" : "nights.under", {
            time: duration(Math.abs(over)),
            minutes: night.slot.minutes,
          })}
        </span>
      )}
      <span className={night.dropouts ? "font-semibold text-clay" : "text-soft"}>
        {t("nights.dropouts", { count: night.dropouts })}
      </span>
      <span className="text-soft">{t("nights.marks", { count: marks })}</span>
      {night.line_up_away.length > 0 && (
        <span className="text-soft">{t("nights.away", { names: night.line_up_away.join(", ") })}</span>
      )}
    </p>
  );
}

function Entry({ night, entry, index }: { night: string; entry: EntryTold; index: number }) {
  const { t } = useTranslation();
  const took = entry.ended_s - entry.started_s;
  const longer = took - entry.prepared_s;
  const clock = new Date(1000 * entry.at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });
  return (
    <li className="grid grid-cols-[52px_minmax(0,1fr)_auto] gap-3 border-t border-line py-2">
      <span className="small pt-[2px]">{clock}</span>
      <div className="min-w-0">
        <p>
          <b className="[overflow-wrap:anywhere]">{entry.title}</b>{" "}
          <span className="small">
            {t("nights.formLasts", { form: entry.form, time: duration(entry.prepared_s) })}
            {!entry.whole && ` · ${t("nights.notWhole")}`}
          </span>
        </p>
        <Played entry={entry} />
        <Noted night={night} entry={entry} />
      </div>
      <div className="text-right">
        <p>
          <b className="[font-stretch:85%]">{duration(took)}</b>
          {entry.whole && Math.abs(longer) >= 0.5 && (
            <span className="small">
              {" "}
              {signed(longer, 0, true)} {t("nights.s")}
            </span>
          )}
        </p>
        {entry.there && <MakeForm night={night} entry={entry} index={index} />}
      </div>
    </li>
  );
}

function Played({ entry }: { entry: EntryTold }) {
  const { t } = useTranslation();
  return (
    <p className="text-soft">
      {passages(entry.passes).map(({ section, times, bars }, i) => (
        <span key={i}>
          {i > 0 && " – "}
          <span className="text-ink">{section}</span>
          {times > 1 && ` ×${times}`}
          <span className="small"> ({t("nights.bars", { count: bars })})</span>
        </span>
      ))}
      {entry.jumps > 0 && <span className="small"> · {t("nights.jumps", { count: entry.jumps })}</span>}
    </p>
  );
}

/** Marks, each with the way to its bar; levels by hand, each to be kept; dropouts. */
function Noted({ night, entry }: { night: string; entry: EntryTold }) {
  const { t } = useTranslation();
  const { marks, levels, dropouts_at: dropouts } = entry;
  if (!marks.length && !levels.length && !dropouts.length) return null;
  return (
    <ul className="mt-1 flex flex-wrap gap-x-4 gap-y-1">
      {marks.map((mark, i) => (
        <li key={`m${i}`} className="flex items-center gap-1">
          <Flag size={13} className="text-plum" aria-hidden />
          {entry.there && mark.bar ? (
            <Link to={`/songs/${entry.song}?bar=${mark.bar}`} className="underline">
              {t(mark.by ? "nights.markedBy" : "nights.marked", { bar: mark.bar, who: mark.by })}
            </Link>
          ) : (
            t("nights.markedGone", { bar: mark.bar ?? 1 })
          )}
        </li>
      ))}
      {levels.map((level) => (
        <Level key={level.part} night={night} entry={entry} level={level} />
      ))}
      {dropouts.map((d, i) => (
        <li key={`d${i}`} className="text-clay">
          {t("nights.dropoutAt", { count: d.blocks, bar: d.bar ?? 1 })}
        </li>
      ))}
    </ul>
  );
}

function Level({ night, entry, level }: { night: string; entry: EntryTold; level: LevelThen }) {
  const { t } = useTranslation();
  const { keep } = useNightActs(night);
  const said = { name: level.name, db: signed(level.db ?? 0, 1, true), becomes: signed(level.becomes ?? 0, 1, true) };
  const how = level.on !== null ? (level.on ? "in" : "out") : level.db === null ? "off" : "db";
  const kept = level.becomes !== null && level.now_db === level.becomes;
  return (
    <li className="flex items-center gap-2">
      {t(`nights.level.${how}`, said)}
      {kept && <span className="small">{t("nights.level.kept")}</span>}
      {level.becomes !== null && level.now_db !== null && !kept && (
        <button
          type="button"
          className="btn"
          disabled={keep.isPending}
          aria-label={t("nights.level.keepOf", said)}
          onClick={() => keep.mutate({ song: entry.song, level })}
        >
          {t("nights.level.keep")}
        </button>
      )}
    </li>
  );
}

function MakeForm({ night, entry, index }: { night: string; entry: EntryTold; index: number }) {
  const { t } = useTranslation();
  const [asking, setAsking] = useState(false);
  return (
    <>
      <button
        type="button"
        className="btn mt-1"
        aria-label={t("nights.form.makeOf", { title: entry.title })}
        onClick={() => setAsking(true)}
      >
        {t("nights.form.make")}
      </button>
      {asking && <FormDialog night={night} entry={entry} index={index} onClose={() => setAsking(false)} />}
    </>
  );
}
