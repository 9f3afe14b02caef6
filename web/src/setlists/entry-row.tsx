import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { GripVertical, X } from "lucide-react";
import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { Entry, EntryChange } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { beatUnit, duration, secondsOf, tempo, timeAfter } from "@/lib/format";
import { Typed } from "@/ui/typed";

import { COLUMNS } from "./running-order";

interface Props {
  entry: Entry;
  number: number | null;
  startsAt: string | null;
  last: boolean;
  change: (part: Partial<EntryChange>) => void;
  remove: () => void;
}

export function EntryRow({ entry, number, startsAt, last, change, remove }: Props) {
  const { t } = useTranslation();
  const { setNodeRef, transform, transition, attributes, listeners, isDragging } = useSortable({ id: entry.id });
  const title = entry.title || t("setlist.interval");
  const grip = (
    <button
      type="button"
      className="-ml-1 flex h-[28px] cursor-grab items-center justify-center text-soft"
      aria-label={t("setlist.move", { title })}
      {...attributes}
      {...listeners}
    >
      <GripVertical size={15} aria-hidden />
    </button>
  );
  const away = (
    <button type="button" className="btn bare" aria-label={t("setlist.remove", { title })} onClick={remove}>
      <X size={14} aria-hidden />
    </button>
  );
  const at = startsAt ? timeAfter(startsAt, entry.starts_s) : duration(entry.starts_s);
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className={isDragging ? "relative z-10 opacity-80" : ""}
    >
      {entry.song ? (
        <SongEntry entry={entry} title={title} number={number} at={at} grip={grip} away={away} change={change} />
      ) : (
        <Interval entry={entry} at={at} grip={grip} away={away} change={change} />
      )}
      {!last && entry.song && <Joint entry={entry} title={title} change={change} />}
    </li>
  );
}

interface RowProps {
  entry: Entry;
  /** When it starts: a time of day, or the time since the start. */
  at: string;
  /** What the entry is dragged by, and what takes it out. */
  grip: ReactNode;
  away: ReactNode;
  change: (part: Partial<EntryChange>) => void;
}

function SongEntry({
  entry,
  title,
  number,
  at,
  grip,
  away,
  change,
}: RowProps & { title: string; number: number | null }) {
  const { t } = useTranslation();
  return (
    <div className={`${COLUMNS} min-h-[46px] border border-line bg-sheet`}>
      {grip}
      <span className="small">{at}</span>
      <b className="text-[15px]">{number}</b>
      <span className="min-w-0">
        <Link
          to={`/songs/${entry.song}`}
          className="block truncate text-[15px] font-[650] [font-stretch:92%] hover:underline"
        >
          {title}
        </Link>
        <span className="flex items-center gap-3">
          <TitleCall entry={entry} title={title} change={change} />
          <Note entry={entry} title={title} change={change} />
        </span>
        {entry.problem && <span className="block text-clay">{entry.problem}</span>}
      </span>
      <select
        className="field plain w-full"
        aria-label={t("setlist.formOf", { title })}
        value={entry.form || "full"}
        onChange={(e) => change({ form: e.target.value === "full" ? "" : e.target.value })}
      >
        {entry.forms.map((f) => (
          <option key={f.id} value={f.id}>
            {f.name}
          </option>
        ))}
      </select>
      <span>
        {beatUnit(entry.unit)} {tempo(entry.bpm)}
        <span className="small block">{entry.meter}</span>
      </span>
      <span>{entry.key || "–"}</span>
      <span>{duration(entry.seconds)}</span>
      {away}
    </div>
  );
}

/** A line for the crew: who changes what, what happens in it. */
function Note({ entry, title, change }: JointProps) {
  const { t } = useTranslation();
  return (
    <Typed
      className="plain small min-h-[20px]! min-w-0 grow py-0!"
      aria-label={t("setlist.noteOf", { title })}
      placeholder={t("setlist.note")}
      maxLength={LENGTHS.ENTRY_NOTE}
      value={entry.note ?? ""}
      onDone={(note) => change({ note })}
    />
  );
}

/** Whether the title is spoken before the count-in (rule Q8). */
function TitleCall({ entry, title, change }: JointProps) {
  const { t } = useTranslation();
  return (
    <label className="small flex shrink-0 items-center gap-1">
      <input
        type="checkbox"
        checked={entry.call_title ?? false}
        aria-label={t("setlist.callTitleOf", { title })}
        onChange={(e) => change({ call_title: e.target.checked })}
      />
      {t("setlist.callTitle")}
    </label>
  );
}

function Interval({ entry, at, grip, away, change }: RowProps) {
  const { t } = useTranslation();
  return (
    <div className="my-[6px] flex min-h-[36px] items-center gap-[10px] border-y-2 border-ink px-[10px] font-[650]">
      {grip}
      <span className="small w-[46px] font-normal!">{at}</span>
      {t("setlist.interval")}
      <Typed
        className="plain w-[44px] text-right"
        inputMode="numeric"
        aria-label={t("setlist.minutes")}
        value={String(entry.interval_minutes ?? "")}
        onDone={(minutes) => change({ interval_minutes: Number(minutes) })}
      />
      <span className="small font-normal!">{t("setlist.min")}</span>
      <span className="grow" />
      {away}
    </div>
  );
}

const ROPE = {
  wait: "w-[2px] bg-line",
  attacca: "w-[4px] bg-ink",
  after: "w-[2px] bg-[repeating-linear-gradient(var(--soft)_0_3px,transparent_3px_6px)]",
};

interface JointProps {
  entry: Entry;
  title: string;
  change: (part: Partial<EntryChange>) => void;
}

function Joint({ entry, title, change }: JointProps) {
  const { t } = useTranslation();
  return (
    <div className={`${COLUMNS} h-[29px]`}>
      <span />
      <span />
      <i className={`block h-full justify-self-center ${ROPE[entry.link]}`} />
      <span className="flex items-center gap-2 text-soft">
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
        {entry.link === "after" && (
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
        )}
      </span>
    </div>
  );
}

/** How long is talked before the next song, about. */
function Talk({ entry, title, change }: JointProps) {
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
