import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { Check, GripVertical } from "lucide-react";
import { useEffect, useRef } from "react";
import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { Described, EntryShown } from "@/api/types";
import { beatUnit, duration, tempo } from "@/lib/format";
import { Sortable } from "@/ui/sortable";

import { can, isMoving, type Playing, whyNot } from "./engine-state";
import { FormsTonight } from "./forms-tonight";
import { StageButton } from "./stage-button";

interface Props {
  entries: EntryShown[];
  /** Minutes of the interval behind so many entries. */
  intervals: Described["intervals"];
  state: Playing;
  press: Press;
}

/**
 * The order of the night at the left, moved by its grips.
 *
 * A tap makes an entry stand by; while a song plays, it is the one that comes after it.
 */
export function StageOrder({ entries, intervals, state, press }: Props) {
  const { t } = useTranslation();
  const { order } = state.tonight;
  const shown = order.flatMap((index) => entries[index] ?? []);
  return (
    <nav aria-label={t("stage.order")} className="min-h-0 overflow-auto border-r border-line py-[10px]">
      <Sortable
        ids={shown.map((e) => e.id)}
        named={(id) => entries.find((e) => e.id === id)?.title ?? ""}
        onMove={(from, to) => press("move", { entry: order[from] ?? 0, to })}
      >
        <ol>
          {order.map((index, place) => {
            const entry = entries[index];
            return (
              entry && (
                <Row
                  key={entry.id}
                  entry={entry}
                  index={index}
                  place={place}
                  last={place === order.length - 1}
                  interval={intervals.find((i) => i.after === place + 1)?.minutes}
                  state={state}
                  press={press}
                />
              )
            );
          })}
        </ol>
      </Sortable>
      <FormsTonight entries={entries} state={state} press={press} />
    </nav>
  );
}

interface RowProps extends Omit<Props, "entries" | "intervals"> {
  entry: EntryShown;
  /** Of the entry in the show as it was loaded, and its place in tonight's order, from 0. */
  index: number;
  place: number;
  last: boolean;
  /** Minutes of the one behind it. */
  interval: number | undefined;
}

function Row({ entry, index, place, last, interval, state, press }: RowProps) {
  const { t } = useTranslation();
  const { setNodeRef, transform, transition, attributes, listeners, isDragging } = useSortable({ id: entry.id });
  const now = isNow(index, state);
  const after = state.tonight.after?.entry === index ? state.tonight.after : null;
  const rowRef = useShown(now);
  return (
    <li
      ref={(li) => {
        setNodeRef(li);
        rowRef.current = li;
      }}
      style={{ transform: CSS.Translate.toString(transform), transition }}
      className={isDragging ? "relative z-10 bg-paper" : ""}
    >
      <div
        className={`grid grid-cols-[minmax(0,1fr)_28px] border-l-4 ${now ? "border-brassline bg-brassbg" : after ? "border-dashed border-brassline" : "border-transparent"}`}
      >
        <Title entry={entry} index={index} place={place} state={state} press={press} />
        <Grip title={entry.title} attributes={attributes} listeners={listeners} />
      </div>
      {after && !after.straight_on && (
        <StageButton
          className="btn mx-[14px] my-1 min-h-[56px]!"
          onPress={() => press("play_after", { entry: index, straight_on: true })}
        >
          {t("stage.straightOn")}
        </StageButton>
      )}
      {!last &&
        (interval === undefined ? (
          <p className="px-[14px] py-px pl-[46px] text-[11px] text-soft">
            {t(`stage.link.${linkOf(entry, now, state)}`, { seconds: entry.link.seconds })}
          </p>
        ) : (
          <p className="my-1 ml-[46px] border-y border-line py-[6px] text-[12.5px]">
            {t("stage.interval", { count: interval })}
          </p>
        ))}
    </li>
  );
}

/** By what a row is moved. */
function Grip({
  title,
  attributes,
  listeners,
}: { title: string } & Pick<ReturnType<typeof useSortable>, "attributes" | "listeners">) {
  const { t } = useTranslation();
  return (
    <button
      type="button"
      data-grip
      onMouseDown={(e) => e.preventDefault()}
      className="flex cursor-grab items-center justify-center text-soft"
      {...attributes}
      {...listeners}
      aria-label={t("setlist.move", { title })}
    >
      <GripVertical size={15} aria-hidden />
    </button>
  );
}

/** Keeps a row in sight once it is the one that matters, without fighting the hand that scrolls meanwhile. */
function useShown(now: boolean) {
  const rowRef = useRef<HTMLLIElement>(null);
  useEffect(() => {
    if (now) rowRef.current?.scrollIntoView({ block: "nearest" });
  }, [now]);
  return rowRef;
}

/** What is known of an entry, to be tapped. */
function Title({ entry, index, place, state, press }: Omit<RowProps, "last" | "interval">) {
  const { t } = useTranslation();
  const moving = isMoving(state);
  const now = isNow(index, state);
  const does = moving ? "play_after" : "stand_by";
  const after = state.tonight.after?.entry === index ? state.tonight.after : null;
  const played = state.tonight.played.includes(index) && !now;
  return (
    <StageButton
      className={`grid min-h-[56px] w-full grid-cols-[24px_minmax(0,1fr)] gap-x-2 py-2 pl-[14px] text-left ${played ? "text-soft" : ""} ${now ? "" : "hover:bg-line2"}`}
      disabled={!can(state, does)}
      title={whyNot(state, does)}
      onPress={() => press(does, { entry: index })}
    >
      <span>{played ? <Check size={14} aria-label={t("stage.played")} /> : place + 1}</span>
      <b className="text-[14px] leading-tight font-semibold break-words" aria-current={now ? "true" : undefined}>
        {entry.title}
      </b>
      <span />
      <span className="small">
        {[
          `${beatUnit(entry.unit)} ${tempo(entry.bpm)}`,
          entry.key,
          duration(entry.seconds),
          entry.of == null
            ? ""
            : entry.percent === 100
              ? entry.form
              : t("stage.rehearsal.percent", { percent: entry.percent }),
        ]
          .filter(Boolean)
          .join(" · ")}
        {now && !moving && state.status !== "finished"
          ? ` · ${t(state.status === "stopped" ? "stage.stopped" : "stage.standingBy")}`
          : ""}
        {after ? ` · ${t(after.straight_on ? "stage.followsOn" : "stage.standsByAfter")}` : ""}
      </span>
    </StageButton>
  );
}

/** Whether an entry is the one that plays, was stopped or stands by. */
const isNow = (index: number, state: Playing): boolean => index === state.tonight.now;

/** What follows an entry: its link, or for the one that plays what was asked for tonight. */
const linkOf = (entry: EntryShown, now: boolean, { tonight: { after } }: Playing): EntryShown["link"]["kind"] =>
  now && after ? (after.straight_on ? "attacca" : "wait") : entry.link.kind;
