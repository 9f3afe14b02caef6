import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useHolds, useSendNow } from "@/api/devices";
import type { Edit } from "@/api/edits";
import type { Device, Message, MessageShown, Section, Song, SongMessages } from "@/api/types";
import { HOLDING } from "@/generated/core";
import { newId } from "@/lib/new-id";
import { Labelled, Tick } from "@/ui/form";
import { useNotices } from "@/ui/notices";

import { type Cell, END, START } from "./places";
import { begun, KINDS_OF, meant, wordsOf } from "./says";
import { SendFields } from "./message-form";

interface Props {
  song: Song;
  form: string;
  edit: Edit;
  found: SongMessages;
  cell: Cell;
  /** What stands there already. */
  there: MessageShown[];
}

/** What is sent at a place: each message, a new one, and what holds there. */
export function CellSide({ song, form, edit, found, cell, there }: Props) {
  const { t } = useTranslation();
  const device = found.devices.find((d) => d.id === cell.device);
  const section = song.sections.find((s) => s.id === cell.group);
  const [open, setOpen] = useState<string | null>(there[0]?.message.id ?? "new");
  if (!device) return null;
  const place = section
    ? t("messages.barOf", { bar: section.first_bar + cell.bar, name: section.name })
    : t(cell.group === START ? "messages.start" : "messages.end");
  const shared = { device, section, cell, edit };
  return (
    <section aria-label={t("messages.chosen")} className="flex flex-col gap-2">
      <h2>{`${device.name} · ${place}`}</h2>
      {there.map((shown) =>
        open === shown.message.id ? (
          <MessageForm key={shown.message.id} {...shared} before={shown.message} found={found} />
        ) : (
          <button
            key={shown.message.id}
            type="button"
            className="btn justify-start"
            onClick={() => setOpen(shown.message.id)}
          >
            {shown.says ? wordsOf(shown.says, shown.name, t) : t("messages.gone")}
          </button>
        ),
      )}
      {open === "new" ? (
        <MessageForm key="new" {...shared} found={found} />
      ) : (
        <button type="button" className="btn" onClick={() => setOpen("new")}>
          {t("messages.another")}
        </button>
      )}
      {section && <CopyTo song={song} section={section} edit={edit} />}
      {section && <HoldsHere {...{ song, form, found, section }} bar={cell.bar + 1} />}
    </section>
  );
}

interface FormProps {
  device: Device;
  section: Section | undefined;
  cell: Cell;
  edit: Edit;
  found: SongMessages;
  before?: Message;
}

/** A message at a place: what, on which beat, in which passes, and whether it holds after a jump. */
function MessageForm({ device, section, cell, edit, found, before }: FormProps) {
  const { t } = useTranslation();
  const first = device.messages[0];
  const [send, setSend] = useState<Message["send"]>(
    before?.send ?? (first ? { kind: "named", message: first.id } : begun(KINDS_OF[device.kind][0] ?? "note")),
  );
  const [at, setAt] = useState<Message["at"]>(before?.at ?? newPlace(cell, section));
  const usual = HOLDING.some((kind) => kind === meant(send, device)?.kind);
  const [chase, setChase] = useState<boolean | null>(before?.chase ?? null);
  const message: Message = { id: before?.id ?? newId(), device: device.id, at, send, chase };
  const beats = found.sections.find((s) => s.id === cell.group)?.beats[cell.bar] ?? 4;
  return (
    <form
      className="panel flex flex-col gap-2 px-3 py-2"
      onSubmit={(e) => {
        e.preventDefault();
        void edit("set_message", { message });
      }}
    >
      <div className="grid grid-cols-2 gap-2">
        <SendFields device={device} send={send} onChange={setSend} />
        {section && <When {...{ at, setAt, beats, section, bar: cell.bar }} />}
      </div>
      <Tick
        label={t("messages.chase")}
        checked={chase ?? usual}
        onChange={(on) => setChase(on === usual ? null : on)}
      />
      <div className="flex flex-wrap gap-2">
        <button type="submit" className="btn pri">
          {t(before ? "messages.change" : "messages.put")}
        </button>
        <SendNow device={device} send={send} />
        {before && (
          <button
            type="button"
            className="btn bad"
            onClick={() => void edit("remove_messages", { messages: [before.id] })}
          >
            {t("messages.takeOut")}
          </button>
        )}
      </div>
    </form>
  );
}

function newPlace(cell: Cell, section: Section | undefined): Message["at"] {
  const none = { section: null, bar: null, beat: 1, pass: null };
  if (cell.group === START || cell.group === END) return { ...none, place: cell.group as "start" | "end" };
  if (cell.bar === 0) return { ...none, place: "section", section: cell.group };
  return { ...none, place: "bar", bar: (section?.first_bar ?? 1) + cell.bar };
}

interface WhenProps {
  at: Message["at"];
  setAt: (at: Message["at"]) => void;
  beats: number;
  section: Section;
  bar: number;
}

/** The beat of the bar, and the pass of the section. */
function When({ at, setAt, beats, section, bar }: WhenProps) {
  const { t } = useTranslation();
  const onBeat = (beat: number): Message["at"] => ({
    ...at,
    place: "bar",
    section: null,
    bar: section.first_bar + bar,
    beat,
  });
  // On its first beat a message goes with the section, wherever that is moved to.
  const begins = bar === 0 ? { ...at, place: "section" as const, section: section.id, bar: null, beat: 1 } : onBeat(1);
  return (
    <>
      <Labelled label={t("messages.beat")}>
        <select
          className="field"
          value={at.beat}
          onChange={(e) => setAt(e.target.value === "1" ? begins : onBeat(Number(e.target.value)))}
        >
          {Array.from({ length: beats }, (_, i) => (
            <option key={i} value={i + 1}>
              {i + 1}
            </option>
          ))}
        </select>
      </Labelled>
      <Labelled label={t("messages.pass")}>
        <select
          className="field"
          value={at.pass ?? ""}
          onChange={(e) => setAt({ ...at, pass: passOf(e.target.value) })}
        >
          <option value="">{t("messages.everyPass")}</option>
          {[1, 2, 3, 4, 5, 6, 7, 8].map((n) => (
            <option key={n} value={n}>
              {t("messages.onlyPass", { number: n })}
            </option>
          ))}
          <option value="last">{t("messages.lastPass")}</option>
        </select>
      </Labelled>
    </>
  );
}

const passOf = (value: string): Message["at"]["pass"] =>
  value === "" ? null : value === "last" ? "last" : Number(value);

function SendNow({ device, send }: { device: Device; send: Message["send"] }) {
  const { t } = useTranslation();
  const { complain, say } = useNotices();
  const now = useSendNow();
  return (
    <button
      type="button"
      className="btn"
      disabled={now.isPending}
      onClick={() =>
        now.mutate(
          { device: device.id, send },
          { onError: complain, onSuccess: () => say(t("messages.sent", { name: device.name })) },
        )
      }
    >
      {t("messages.sendNow")}
    </button>
  );
}

/** The messages of the section, put into others too. */
function CopyTo({ song, section, edit }: { song: Song; section: Section; edit: Edit }) {
  const { t } = useTranslation();
  const others = song.sections.filter((s) => s.id !== section.id);
  const alike = others.filter((s) => s.name === section.name);
  if (others.length === 0) return null;
  const copy = (to: string[]) => void edit("copy_messages", { section: section.id, to });
  return (
    <div className="flex flex-wrap items-center gap-2">
      {alike.length > 0 && (
        <button type="button" className="btn" onClick={() => copy(alike.map((s) => s.id))}>
          {t("messages.copyAlike", { name: section.name })}
        </button>
      )}
      <select
        className="field max-w-[180px]"
        aria-label={t("messages.copyTo")}
        value=""
        onChange={(e) => copy([e.target.value])}
      >
        <option value="">{t("messages.copyTo")}</option>
        {others.map((s) => (
          <option key={s.id} value={s.id}>
            {`${s.mark} ${s.name}`}
          </option>
        ))}
      </select>
    </div>
  );
}

interface HoldsProps {
  song: Song;
  form: string;
  found: SongMessages;
  section: Section;
  bar: number;
}

/** What every device has been brought to where the chosen bar begins, in the form that is chosen. */
function HoldsHere({ song, form, found, section, bar }: HoldsProps) {
  const { t } = useTranslation();
  const steps = song.forms.find((f) => f.id === form)?.steps ?? [];
  const step = steps.findIndex((s) => s.section === section.id && s.ending.kind !== "cut");
  const holds = useHolds(song, form, step, bar);
  const named = (id: string) => found.devices.find((d) => d.id === id)?.name ?? "";
  if (step < 0) return <p className="small">{t("messages.notInForm")}</p>;
  return (
    <div>
      <h3 className="small font-[650]">{t("messages.holds")}</h3>
      {holds.data?.holds.length === 0 && <p className="small">{t("messages.holdsNothing")}</p>}
      <ul>
        {holds.data?.holds.map((h) => (
          <li key={`${h.device} ${JSON.stringify(h.says)}`} className="flex gap-2 border-b border-line2 py-[3px]">
            <span className="w-[120px] flex-none truncate text-soft">{named(h.device)}</span>
            <span className="min-w-0 truncate">{wordsOf(h.says, h.name, t)}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}
