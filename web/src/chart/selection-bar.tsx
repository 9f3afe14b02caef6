/* eslint-disable react-hooks/immutability -- `typed` is the page's memory of a name: it outlives this bar */
import { Minus, Play, Plus, X } from "lucide-react";
import { type ReactNode, useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Song } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { chordText } from "@/lib/chords";
import { newId } from "@/lib/new-id";

import type { Edit } from "@/api/edits";
import type { Selection } from "./use-selection";

interface Props {
  song: Song;
  selection: Selection;
  edit: Edit;
  hear: (bar: number) => void;
  /** A name that was typed for a section and not taken. */
  typed: React.RefObject<string>;
}

/** What can be done with the chosen bars: make them a section, set tempo or metre there, hear them. */
export function SelectionBar({ song, selection, edit, hear, typed }: Props) {
  const { t } = useTranslation();
  const span = selection.span ?? { first: 1, last: 1 };
  const here = `${span.first}-${span.last}`;
  const several = span.last > span.first;
  const writeChords = (text: string) =>
    edit("set_chords", { first: span.first, text, ...(several || !text ? { last: span.last, fill: true } : {}) });

  return (
    <section
      aria-label={t("selection.label")}
      className="flex flex-wrap items-center gap-x-4 gap-y-2 border-t border-brassline bg-brassbg px-5 py-2"
    >
      <Span song={song} selection={selection} />
      <NameForm span={span} selection={selection} edit={edit} typed={typed} />
      <OneField
        key={`${here}-${song.revision}`}
        placeholder={t("chords.placeholder")}
        label={span.first === span.last ? t("chords.fromBar", { bar: span.first }) : t("chords.inBars", { ...span })}
        button={t("chords.write")}
        width="w-[230px]"
        start={chordText(song.chords.slice(span.first - 1, span.last))}
        onDone={writeChords}
      />
      <TempoHere song={song} bar={span.first} edit={edit} />
      <MetreHere song={song} bar={span.first} edit={edit} />
      <CueField key={`cue ${here}-${song.revision}`} song={song} bar={span.first} edit={edit} />
      <span className="grow" />
      <button type="button" className="btn" onClick={() => hear(span.first)}>
        <Play size={14} aria-hidden />
        {t("song.hearFrom", { bar: span.first })}
      </button>
      <button type="button" className="btn bare" aria-label={t("selection.clear")} onClick={selection.clear}>
        <X size={14} aria-hidden />
      </button>
    </section>
  );
}

interface NameProps extends Pick<Props, "selection" | "edit" | "typed"> {
  span: { first: number; last: number };
}

/** The chosen bars become a section of the name that is typed. */
function NameForm({ span, selection, edit, typed }: NameProps) {
  const { t } = useTranslation();
  const [name, setName] = useState(typed.current);
  const usual = t("sectionNames", { returnObjects: true });
  const here = `${span.first}-${span.last}`;
  const named = useRef(here);
  useEffect(() => {
    if (named.current !== here) setName("");
    named.current = here;
  }, [here]);

  // The hand goes on; what the server refuses comes back as it was typed.
  const mark = async () => {
    typed.current = name;
    const asked = edit("mark_section", {
      first: span.first,
      last: span.last,
      name: name.trim() || usual[0],
      ids: [newId(), newId()],
    });
    selection.clear();
    if (!(await asked)) selection.set(span);
    else typed.current = "";
  };
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void mark();
      }}
    >
      <input
        id="section-name"
        className="field w-[150px]"
        list="usual-sections"
        placeholder={t("selection.name")}
        aria-label={t("selection.name")}
        maxLength={LENGTHS.NAME}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button type="submit" className="btn pri">
        {t("selection.make")}
      </button>
    </form>
  );
}

interface HereProps {
  song: Song;
  bar: number;
  edit: Edit;
}

/** A change of tempo at the first chosen bar: made, as a ramp or at once, or taken out. */
function TempoHere({ song, bar, edit }: HereProps) {
  const { t } = useTranslation();
  const [ramp, setRamp] = useState(false);
  const setTempo = (bpm: string) => edit("set_tempo", { bar, bpm, unit: song.tempo[0]?.unit, ...(ramp && { ramp }) });
  const changed = bar > 1 && song.tempo.some((p) => p.bar === bar);
  return (
    <>
      <OneField
        placeholder={t("selection.tempo")}
        label={t("selection.tempoAt", { bar })}
        button={t("selection.setTempo")}
        width="w-[74px]"
        decimal
        onDone={setTempo}
      >
        <label className="flex items-center gap-1 whitespace-nowrap">
          <input type="checkbox" checked={ramp} onChange={(e) => setRamp(e.target.checked)} />
          <span className="small">{t("selection.ramp")}</span>
        </label>
      </OneField>
      {changed && (
        <button type="button" className="btn bare" onClick={() => void edit("set_tempo", { bar, bpm: "" })}>
          {t("selection.noTempo")}
        </button>
      )}
    </>
  );
}

/** A change of metre at the first chosen bar: made or taken out. */
function MetreHere({ song, bar, edit }: HereProps) {
  const { t } = useTranslation();
  const setMetre = (text: string) => edit("set_meter", { bar, meter: text });
  const changed = bar > 1 && song.meters.some((m) => m.bar === bar);
  return (
    <>
      <OneField
        placeholder={t("selection.metre")}
        label={t("selection.metreAt", { bar })}
        button={t("selection.setMetre")}
        width="w-[96px]"
        onDone={setMetre}
      />
      {changed && (
        <button type="button" className="btn bare" onClick={() => void edit("set_meter", { bar, meter: "" })}>
          {t("selection.noMetre")}
        </button>
      )}
    </>
  );
}

interface OneFieldProps {
  placeholder: string;
  label: string;
  button: string;
  width: string;
  decimal?: boolean;
  /** What stands there now; the field may be emptied. */
  start?: string;
  onDone: (text: string) => Promise<boolean>;
  children?: ReactNode;
}

/** A field with its button; it is emptied once what was typed is taken. */
function OneField({ placeholder, label, button, width, decimal, start, onDone, children }: OneFieldProps) {
  const [text, setText] = useState(start ?? "");
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        void onDone(text.trim()).then((done) => done && start === undefined && setText(""));
      }}
    >
      <input
        className={`field ${width}`}
        spellCheck={false}
        {...(decimal && { inputMode: "decimal" as const })}
        placeholder={placeholder}
        aria-label={label}
        value={text}
        onChange={(e) => setText(e.target.value)}
      />
      {children}
      <button type="submit" className="btn" disabled={start === undefined ? !text.trim() : text.trim() === start}>
        {button}
      </button>
    </form>
  );
}

/** A cue of one's own: words spoken on a beat of the first chosen bar. */
function CueField({ song, bar, edit }: { song: Song; bar: number; edit: Edit }) {
  const { t } = useTranslation();
  const here = (song.cues ?? []).filter((c) => c.bar === bar);
  const [beat, setBeat] = useState(here[0]?.beat ?? 1);
  const said = here.find((c) => c.beat === beat)?.text ?? "";
  return (
    <OneField
      key={beat}
      placeholder={t("cue.placeholder")}
      label={t("cue.at", { bar, beat })}
      button={t("cue.set")}
      width="w-[130px]"
      start={said}
      onDone={(text) => edit("set_cue", { bar, beat, text })}
    >
      <label className="flex items-center gap-1">
        <span className="small">{t("cue.beat")}</span>
        <input
          type="number"
          min={1}
          max={64}
          className="field w-[46px]"
          value={beat}
          onChange={(e) => setBeat(Number(e.target.value) || 1)}
        />
      </label>
    </OneField>
  );
}

/** Which bars are chosen; a bar more or less by a press. */
function Span({ song, selection }: { song: Song; selection: Selection }) {
  const { t } = useTranslation();
  const span = selection.span ?? { first: 1, last: 1 };
  return (
    <div className="flex items-center gap-1">
      <b className="whitespace-nowrap">
        {span.first === span.last ? t("selection.bar", { bar: span.first }) : t("selection.bars", { ...span })}
      </b>
      <button
        type="button"
        className="btn bare"
        aria-label={t("selection.shorter")}
        disabled={span.last === span.first}
        onClick={() => selection.set({ ...span, last: span.last - 1 })}
      >
        <Minus size={14} aria-hidden />
      </button>
      <button
        type="button"
        className="btn bare"
        aria-label={t("selection.longer")}
        disabled={span.last >= song.bars}
        onClick={() => selection.set({ ...span, last: span.last + 1 })}
      >
        <Plus size={14} aria-hidden />
      </button>
    </div>
  );
}
