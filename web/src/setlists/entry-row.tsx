import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { GripVertical, X } from "lucide-react";
import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { Entry, EntryChange } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { beatUnit, duration, tempo, timeAfter } from "@/lib/format";
import { Typed } from "@/ui/typed";

import { COLUMNS } from "./columns";
import { kindOf } from "./entries";
import { EntryMenu, Exceptions, Outside } from "./entry-menu";
import { Joint, type JoinEars, type Step } from "./joint";
import { Moved } from "./preparing";

interface Props {
  entry: Entry;
  number: number | null;
  startsAt: string | null;
  /** Of the set that it is in. */
  setColour: number | null;
  last: boolean;
  chosen: boolean;
  choose: (on: boolean, through: boolean) => void;
  /** From this song to the next. */
  step: Step | undefined;
  ears: JoinEars;
  change: (part: Partial<EntryChange>) => void;
  remove: () => void;
}

export function EntryRow(props: Props) {
  const { entry, number, startsAt, setColour, last, step, ears, change } = props;
  const { t } = useTranslation();
  const { setNodeRef, transform, transition, attributes, listeners, isDragging } = useSortable({ id: entry.id });
  const kind = kindOf(entry);
  const title = entry.title || entry.set_name || t("setlist.interval");
  const grip = (
    <button
      type="button"
      className="flex h-[28px] cursor-grab items-center justify-center text-soft"
      aria-label={t("setlist.move", { title })}
      {...attributes}
      {...listeners}
    >
      <GripVertical size={15} aria-hidden />
    </button>
  );
  const row: RowProps = {
    entry,
    title,
    change,
    at: startsAt ? timeAfter(startsAt, entry.starts_s) : duration(entry.starts_s),
    hands: (
      <>
        <Chosen {...props} title={title} />
        {grip}
      </>
    ),
    more: <More {...props} title={title} />,
  };
  const colour = entry.colour ?? setColour;
  return (
    <li
      ref={setNodeRef}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className={`${colour ? `k${colour}` : ""} ${isDragging ? "relative z-10 opacity-80" : ""}`}
    >
      {kind === "song" && <SongEntry {...row} number={number} coloured={colour !== null} />}
      {kind === "interval" && <Interval {...row} />}
      {kind === "heading" && <Heading {...row} />}
      {!last && kind === "song" && <Joint entry={entry} title={title} change={change} step={step} ears={ears} />}
    </li>
  );
}

interface RowProps {
  entry: Entry;
  title: string;
  /** When it starts: a time of day, or the time since the start. */
  at: string;
  /** What the entry is chosen and dragged by. */
  hands: ReactNode;
  more: ReactNode;
  change: (part: Partial<EntryChange>) => void;
}

function Chosen({ title, chosen, choose }: Props & { title: string }) {
  const { t } = useTranslation();
  return (
    <input
      type="checkbox"
      aria-label={t("chosen.choose", { title })}
      checked={chosen}
      onChange={(e) => choose(e.target.checked, (e.nativeEvent as MouseEvent).shiftKey)}
    />
  );
}

function More({ entry, title, change, remove }: Props & { title: string }) {
  const { t } = useTranslation();
  return (
    <span className="flex justify-end">
      <EntryMenu entry={entry} title={title} change={change} />
      <button type="button" className="btn bare" aria-label={t("setlist.remove", { title })} onClick={remove}>
        <X size={14} aria-hidden />
      </button>
    </span>
  );
}

function SongEntry({
  entry,
  title,
  number,
  at,
  hands,
  more,
  change,
  coloured,
}: RowProps & { number: number | null; coloured: boolean }) {
  const { t } = useTranslation();
  return (
    <div
      className={`${COLUMNS} min-h-[46px] border border-line bg-sheet ${coloured ? "border-l-[5px] border-l-[var(--k)] pl-[5px]" : ""}`}
    >
      {hands}
      <span className="small">{at}</span>
      <b className="text-[15px]">{number}</b>
      <Name entry={entry} title={title} change={change} />
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
      {more}
    </div>
  );
}

interface PartProps {
  entry: Entry;
  title: string;
  change: (part: Partial<EntryChange>) => void;
}

/** The song, how much of it is left to do, who is on in it, whether it is called, the note. */
function Name({ entry, title, change }: PartProps) {
  const { t } = useTranslation();
  const left = entry.wrong + entry.look;
  return (
    <span className="min-w-0">
      <span className="flex items-center gap-2">
        <Link
          to={`/songs/${entry.song}`}
          className="min-w-0 text-[15px] font-[650] [font-stretch:92%] [overflow-wrap:anywhere] hover:underline"
        >
          {title}
        </Link>
        {left > 0 && (
          <Link
            to={`/songs/${entry.song}`}
            className={`tag whitespace-nowrap ${entry.wrong ? "bg-claybg! text-clay!" : ""}`}
          >
            {t("toDo.count", { count: left })}
          </Link>
        )}
        <Exceptions entry={entry} />
        <Moved entry={entry} />
        <Outside entry={entry} />
      </span>
      <span className="flex items-center gap-3">
        <TitleCall entry={entry} title={title} change={change} />
        <Note entry={entry} title={title} change={change} />
      </span>
      {entry.problem && <span className="block text-clay">{entry.problem}</span>}
    </span>
  );
}

/** A line for the crew: who changes what, what happens in it. */
function Note({ entry, title, change }: PartProps) {
  const { t } = useTranslation();
  return (
    <Typed
      className="plain small min-h-[20px]! min-w-0 grow py-0! text-ellipsis"
      aria-label={t("setlist.noteOf", { title })}
      placeholder={t("setlist.note")}
      maxLength={LENGTHS.ENTRY_NOTE}
      value={entry.note ?? ""}
      onDone={(note) => change({ note })}
    />
  );
}

/** Whether the title is spoken before the count-in (rule Q8). */
function TitleCall({ entry, title, change }: PartProps) {
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

function Interval({ entry, at, hands, more, change }: RowProps) {
  const { t } = useTranslation();
  return (
    <div className="my-[6px] flex min-h-[36px] items-center gap-[9px] border-y-2 border-ink px-[9px] font-[650]">
      {hands}
      <span className="small w-[44px] font-normal!">{at}</span>
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
      {more}
    </div>
  );
}

/** The name of a set that begins here, in its colour. */
function Heading({ entry, at, hands, more, change }: RowProps) {
  const { t } = useTranslation();
  return (
    <div className="mt-[8px] flex min-h-[32px] items-center gap-[9px] border-b-[3px] border-[var(--k,var(--color-line))] px-[9px]">
      {hands}
      <span className="small w-[44px]">{at}</span>
      <Typed
        className="plain min-w-0 grow font-[650]!"
        aria-label={t("entry.setName")}
        maxLength={LENGTHS.NAME}
        value={entry.set_name ?? ""}
        onDone={(set_name) => change({ set_name: set_name.trim() || t("entry.set") })}
      />
      {more}
    </div>
  );
}
