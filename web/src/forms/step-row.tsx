import { useSortable } from "@dnd-kit/sortable";
import { CSS } from "@dnd-kit/utilities";
import { GripVertical, X } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Ending, Section } from "@/api/types";
import { ENDINGS } from "@/generated/core";
import { RehearsalMark } from "@/ui/mark";
import { partOf } from "@/song/part-of";
import { Typed } from "@/ui/typed";

import { type Step, withEnding } from "./steps";

interface Props {
  id: number;
  step: Step;
  section: Section;
  last: boolean;
  /** Of the full form, which has every section in order. */
  fixed: boolean;
  change: (step: Step) => void;
  remove: () => void;
}

/** One step, as tall as it is long. */
export function StepRow({ id, step, section, last, fixed, change, remove }: Props) {
  const { t } = useTranslation();
  const { setNodeRef, transform, transition, attributes, listeners, isDragging } = useSortable({ id, disabled: fixed });
  const cut = step.ending.kind === "cut";
  const part = partOf(step, section);
  const repeated = step.ending.kind === "repeat" || step.ending.kind === "vamp";
  return (
    <li
      ref={setNodeRef}
      style={{
        transform: CSS.Translate.toString(transform),
        transition,
        minHeight: Math.min(110, 38 + 1.4 * part.bars),
      }}
      className={`k${section.colour} flex items-center gap-[6px] border-b border-line2 bg-sheet px-2 py-1 ${repeated ? "border-l-4 border-double border-l-ink" : "border-l-4 border-l-[var(--kb)]"} ${isDragging ? "relative z-10 shadow" : ""}`}
    >
      {!fixed && (
        <button
          type="button"
          className="-ml-1 flex h-[28px] w-[18px] flex-none cursor-grab items-center justify-center text-soft"
          aria-label={t("forms.move", { name: section.name, place: id })}
          {...attributes}
          {...listeners}
        >
          <GripVertical size={14} aria-hidden />
        </button>
      )}
      <RehearsalMark mark={section.mark} colour={section.colour} />
      <span className={`min-w-0 grow leading-[1.2] ${cut ? "text-soft line-through" : ""}`}>
        <span className="block truncate font-[650]">{section.name}</span>
        <Bars part={part} section={section} />
      </span>
      <EndingChoice id={id} step={step} name={section.name} last={last} change={change} />
      {!fixed && (
        <button
          type="button"
          className="btn bare -mr-1"
          aria-label={t("forms.takeOut", { name: section.name, place: id })}
          onClick={remove}
        >
          <X size={13} aria-hidden />
        </button>
      )}
    </li>
  );
}

/** How many bars it plays; which of them, where it is not the whole section. */
function Bars({ part, section }: { part: Section; section: Section }) {
  const { t } = useTranslation();
  const first = part.first_bar - section.first_bar + 1;
  const whole = part.bars === section.bars;
  return (
    <span className="small">
      {whole
        ? t("forms.bars", { count: section.bars })
        : t("forms.partOf", { first, last: first + part.bars - 1, bars: section.bars })}
    </span>
  );
}

interface EndingChoiceProps {
  id: number;
  step: Step;
  name: string;
  last: boolean;
  change: (step: Step) => void;
}

/** What happens at the end of the step, and how often it is repeated. */
function EndingChoice({ id, step, name, last, change }: EndingChoiceProps) {
  const { t } = useTranslation();
  return (
    <>
      {step.ending.kind === "repeat" && (
        <Typed
          className="plain w-[30px] text-center"
          inputMode="numeric"
          aria-label={t("forms.timesOf", { name, place: id })}
          value={String(step.ending.times ?? 2)}
          onDone={(times) => change(withEnding(step, "repeat", Number(times)))}
        />
      )}
      <select
        className="field plain w-[74px]! flex-none"
        aria-label={t("forms.endingOf", { name, place: id })}
        value={last && step.ending.kind === "attacca" ? "fine" : step.ending.kind}
        onChange={(e) => change(withEnding(step, e.target.value as Ending["kind"]))}
      >
        {ENDINGS.map((kind) => (
          <option key={kind} value={kind}>
            {t(`forms.ending.${kind}`)}
          </option>
        ))}
      </select>
    </>
  );
}
