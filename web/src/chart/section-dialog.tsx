import { Copy, Lock, LockOpen, Scissors } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Edit, EditArgs } from "@/api/edits";
import type { Ending, Section, Song } from "@/api/types";
import { ENDINGS, LENGTHS } from "@/generated/core";
import { chordText } from "@/lib/chords";
import { figure } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";
import { Typed } from "@/ui/typed";
import { TypedArea } from "@/ui/typed-area";

interface Props {
  song: Song;
  section: Section;
  index: number;
  edit: Edit;
  onClose: () => void;
}

type Rename = (part: Omit<EditArgs<"rename_section">, "section">) => void;

/** Everything about one section; each change is saved as it is made. */
export function SectionDialog({ song, section, index, edit, onClose }: Props) {
  const { t } = useTranslation();
  const rename: Rename = (part) => void edit("rename_section", { section: section.id, ...part });
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && onClose()}
      title={t("section.title", { mark: section.mark, name: section.name })}
    >
      <div className="grid grid-cols-4 gap-3">
        <Labelled label={t("section.name")} wide>
          <Typed
            value={section.name}
            maxLength={LENGTHS.NAME}
            list="usual-sections"
            onDone={(name) => rename({ name })}
          />
        </Labelled>
        <Labelled label={t("section.spoken")} wide>
          <Typed
            value={section.cue}
            maxLength={LENGTHS.NAME}
            placeholder={section.name}
            onDone={(cue) => rename({ cue })}
          />
        </Labelled>
        <Bounds section={section} index={index} edit={edit} />
        <EndingFields section={section} edit={edit} />
      </div>
      <Chords song={song} section={section} edit={edit} />
      <Texts section={section} rename={rename} />
      <Colours section={section} rename={rename} />
      <Acts section={section} last={index === song.sections.length - 1} edit={edit} rename={rename} onClose={onClose} />
    </Dialog>
  );
}

/** Chords of the whole section as musicians type them, or taken from another one. */
function Chords({ song, section, edit }: { song: Song; section: Section; edit: Edit }) {
  const { t } = useTranslation();
  const first = section.first_bar;
  const last = first + section.bars - 1;
  const others = song.sections.filter(
    (s) => s.id !== section.id && song.chords.slice(s.first_bar - 1, s.first_bar - 1 + s.bars).some(Boolean),
  );
  return (
    <div className="mt-3 flex items-end gap-3">
      <Labelled label={t("section.chords")} className="grow">
        <TypedArea
          rows={2}
          spellCheck={false}
          placeholder={t("chords.placeholder")}
          value={chordText(song.chords.slice(first - 1, last))}
          onDone={(text) => void edit("set_chords", { first, last, text, fill: true })}
        />
      </Labelled>
      {others.length > 0 && (
        <Labelled label={t("chords.from")} className="w-[190px]">
          <select
            className="field"
            value=""
            onChange={(e) => void edit("copy_chords", { section: e.target.value, to: section.id })}
          >
            <option value="">{t("chords.choose")}</option>
            {others.map((s) => (
              <option key={s.id} value={s.id}>
                {`${s.mark} ${s.name}`}
              </option>
            ))}
          </select>
        </Labelled>
      )}
    </div>
  );
}

function Split({ first, last, onSplit }: { first: number; last: number; onSplit: (bar: string) => void }) {
  const { t } = useTranslation();
  const [bar, setBar] = useState(String(first + Math.max(1, Math.floor((last - first + 1) / 2))));
  return (
    <form
      className="flex items-center gap-1"
      onSubmit={(e) => {
        e.preventDefault();
        onSplit(bar);
      }}
    >
      <button type="submit" className="btn" disabled={last === first}>
        <Scissors size={13} aria-hidden />
        {t("section.split")}
      </button>
      <input
        className="field w-[52px]"
        inputMode="numeric"
        aria-label={t("section.splitAt")}
        value={bar}
        onChange={(e) => setBar(e.target.value)}
      />
    </form>
  );
}

/** Where the section starts and how many bars it has. */
function Bounds({ section, index, edit }: { section: Section; index: number; edit: Edit }) {
  const { t } = useTranslation();
  return (
    <>
      <Labelled label={t("section.startsAt")}>
        <Typed
          value={String(section.first_bar)}
          inputMode="numeric"
          disabled={index === 0}
          onDone={(first) => void edit("move_boundary", { section: section.id, first: figure(first) })}
        />
      </Labelled>
      <Labelled label={t("section.lasts")}>
        <Typed
          value={String(section.bars)}
          inputMode="numeric"
          disabled={section.locked}
          onDone={(bars) => void edit("resize_section", { section: section.id, bars: figure(bars) })}
        />
      </Labelled>
    </>
  );
}

/** What happens at the section's end, and how often it is repeated. */
function EndingFields({ section, edit }: { section: Section; edit: Edit }) {
  const { t } = useTranslation();
  return (
    <>
      <Labelled label={t("section.ending")} wide={section.ending.kind !== "repeat"}>
        <select
          className="field"
          value={section.ending.kind}
          onChange={(e) =>
            void edit("set_ending", { section: section.id, kind: e.target.value as Ending["kind"], times: 2 })
          }
        >
          {ENDINGS.map((kind) => (
            <option key={kind} value={kind}>
              {t(`ending.long.${kind}`)}
            </option>
          ))}
        </select>
      </Labelled>
      {section.ending.kind === "repeat" && (
        <Labelled label={t("section.times")}>
          <Typed
            value={String(section.ending.times ?? 2)}
            inputMode="numeric"
            onDone={(times) => void edit("set_ending", { section: section.id, kind: "repeat", times: figure(times) })}
          />
        </Labelled>
      )}
    </>
  );
}

/** The words that are sung, and a note for the band. */
function Texts({ section, rename }: { section: Section; rename: Rename }) {
  const { t } = useTranslation();
  return (
    <div className="mt-3 grid grid-cols-2 gap-3">
      <Labelled label={t("section.words")}>
        <TypedArea
          rows={4}
          maxLength={LENGTHS.WORDS}
          placeholder={t("section.wordsHint")}
          value={section.words}
          onDone={(words) => rename({ words })}
        />
      </Labelled>
      <Labelled label={t("section.note")}>
        <TypedArea rows={4} maxLength={LENGTHS.NOTE} value={section.note} onDone={(note) => rename({ note })} />
      </Labelled>
      <p className="small col-span-2">{t("section.wordsPlace")}</p>
    </div>
  );
}

/** The six colours a section may have. */
function Colours({ section, rename }: { section: Section; rename: Rename }) {
  const { t } = useTranslation();
  return (
    <fieldset className="mt-3">
      <legend className="small mb-1">{t("section.colour")}</legend>
      <div className="flex gap-2">
        {[1, 2, 3, 4, 5, 6].map((colour) => (
          <button
            key={colour}
            type="button"
            className={`rm k${colour} h-[32px]! min-w-[32px]! ${colour === section.colour ? "outline-2 outline-offset-2 outline-ink" : ""}`}
            aria-label={t("section.colourName", { name: t(`colours.${colour as 1}`) })}
            aria-pressed={colour === section.colour}
            onClick={() => rename({ colour })}
          >
            {section.mark}
          </button>
        ))}
      </div>
    </fieldset>
  );
}

interface ActsProps {
  section: Section;
  last: boolean;
  edit: Edit;
  rename: Rename;
  onClose: () => void;
}

/** What is done with the whole section: locked, divided, repeated in the song, joined with the next. */
function Acts({ section, last, edit, rename, onClose }: ActsProps) {
  const { t } = useTranslation();
  const leave = (made: Promise<boolean>) =>
    void made.then((done) => {
      if (done) onClose();
    });
  return (
    <div className="mt-4 flex flex-wrap items-center gap-2">
      <button
        type="button"
        className="btn"
        aria-pressed={section.locked}
        onClick={() => rename({ locked: !section.locked })}
      >
        {section.locked ? <Lock size={13} aria-hidden /> : <LockOpen size={13} aria-hidden />}
        {t(section.locked ? "section.locked" : "section.lock", { count: section.bars })}
      </button>
      <Split
        first={section.first_bar}
        last={section.first_bar + section.bars - 1}
        onSplit={(bar) => leave(edit("split_section", { bar: figure(bar) }))}
      />
      <button
        type="button"
        className="btn"
        disabled={last}
        onClick={() => leave(edit("duplicate_section", { section: section.id }))}
      >
        <Copy size={13} aria-hidden />
        {t("section.duplicate")}
      </button>
      <button
        type="button"
        className="btn"
        disabled={last}
        onClick={() => leave(edit("join_section", { section: section.id }))}
      >
        {t("section.join")}
      </button>
      <button type="button" className="btn pri ml-auto" onClick={onClose}>
        {t("common.done")}
      </button>
    </div>
  );
}
