import { LENGTHS } from "@/generated/core";
import { arrayMove } from "@dnd-kit/sortable";
import { FileMusic, Play, Plus, Trash2 } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Song } from "@/api/types";
import { duration } from "@/lib/format";
import type { Edit } from "@/api/edits";
import { RehearsalMark } from "@/ui/mark";
import { Menu, MenuItem } from "@/ui/menu";
import { Sortable } from "@/ui/sortable";
import { partOf } from "@/song/part-of";
import { Typed } from "@/ui/typed";
import { IconButton } from "@/ui/icon-button";

import { StepRow } from "./step-row";
import { bareSteps, type Form, type Step } from "./steps";

interface Props {
  song: Song;
  form: Form;
  edit: Edit;
  hear: (form: string, bar: number) => void;
  draw: (form: string) => void;
}

/** One form: its name, its length against the full one, and its steps to be put in order. */
export function FormColumn({ song, form, edit, hear, draw }: Props) {
  const { t } = useTranslation();
  const isFull = form.id === "full";
  const { steps, put } = useSteps(form, edit);
  const sections = new Map(song.sections.map((s) => [s.id, s]));
  const name = (i: number) => sections.get(steps[i]?.section ?? "")?.name ?? "";

  const change = (i: number, step: Step) => {
    if (!isFull) put(steps.map((s, k) => (k === i ? step : s)));
    else void edit("set_ending", { section: step.section, kind: step.ending.kind, times: step.ending.times });
  };
  const opening = steps.find((s) => s.ending.kind !== "cut");
  const opens = sections.get(opening?.section ?? "");
  const firstBar = opening && opens ? partOf(opening, opens).first_bar : 1;

  const row = (step: Step, i: number) => {
    const section = sections.get(step.section);
    return section ? (
      <StepRow
        key={`${i}-${step.section}`}
        id={i + 1}
        step={step}
        section={section}
        last={i === steps.length - 1}
        fixed={isFull}
        change={(s) => change(i, s)}
        remove={() => put(steps.filter((_, k) => k !== i))}
      />
    ) : null;
  };
  return (
    <section
      aria-label={t("forms.one", { name: form.name })}
      className="w-[252px] flex-none border border-line bg-sheet"
    >
      <Head song={song} form={form} edit={edit} hear={() => hear(form.id, firstBar)} draw={() => draw(form.id)} />
      <Sortable
        ids={steps.map((_, i) => i + 1)}
        named={(id) => name(Number(id) - 1)}
        onMove={(from, to) => put(arrayMove(steps, from, to))}
      >
        <ol aria-label={t("forms.stepsOf", { name: form.name })}>{steps.map(row)}</ol>
      </Sortable>
      {!isFull && <AddStep song={song} add={(section) => put([...steps, { section, ending: { kind: "attacca" } }])} />}
    </section>
  );
}

/** The steps in the order under the hand, until the server has answered. */
function useSteps(form: Form, edit: Edit) {
  const [steps, setSteps] = useState<Step[]>(form.steps);
  useEffect(() => setSteps(form.steps), [form.steps]);
  const put = (changed: Step[]) => {
    setSteps(changed);
    void edit("set_form", { form: form.id, steps: bareSteps(changed) }).then((done) => {
      if (!done) setSteps(form.steps);
    });
  };
  return { steps, put };
}

interface HeadProps {
  song: Song;
  form: Form;
  edit: Edit;
  hear: () => void;
  draw: () => void;
}

/** Its name and what can be done with it; its length against the full form. */
function Head({ song, form, edit, hear, draw }: HeadProps) {
  const { t } = useTranslation();
  const isFull = form.id === "full";
  const against = song.forms[0] && !isFull ? form.seconds - song.forms[0].seconds : 0;
  return (
    <header className="border-b border-line px-3 pb-2 pt-2">
      <div className="flex items-center gap-1">
        {isFull ? (
          <h2 className="grow text-[15px]! text-ink!">{form.name}</h2>
        ) : (
          <Typed
            className="plain min-w-0 grow text-[15px] font-[650]!"
            aria-label={t("forms.name")}
            maxLength={LENGTHS.NAME}
            value={form.name}
            onDone={(to) => void edit("set_form", { form: form.id, name: to })}
          />
        )}
        <IconButton label={t("forms.hear", { name: form.name })} icon={Play} onClick={hear} />
        <IconButton label={t("forms.draw", { name: form.name })} icon={FileMusic} onClick={draw} />
        {!isFull && (
          <IconButton
            label={t("forms.remove", { name: form.name })}
            icon={Trash2}
            onClick={() => void edit("remove_form", { form: form.id })}
          />
        )}
      </div>
      <p className="small">
        <b className="text-ink">{duration(form.seconds)}</b> · {t("forms.bars", { count: form.bars })}
        {!isFull &&
          Math.abs(against) >= 0.5 &&
          ` · ${t(against < 0 ? "forms.shorter" : "forms.longer", { by: duration(Math.abs(against)) })}`}
      </p>
    </header>
  );
}

/** A section more at the end. */
function AddStep({ song, add }: { song: Song; add: (section: string) => void }) {
  const { t } = useTranslation();
  return (
    <div className="border-t border-line p-2">
      <Menu
        label={
          <>
            <Plus size={14} aria-hidden />
            {t("forms.addStep")}
          </>
        }
      >
        {song.sections.map((s) => (
          <MenuItem key={s.id} onSelect={() => add(s.id)}>
            <RehearsalMark mark={s.mark} colour={s.colour} />
            {s.name}
          </MenuItem>
        ))}
      </Menu>
    </div>
  );
}
