import { useTranslation } from "react-i18next";

import { useCompared } from "@/api/queries";
import type { Section, Song } from "@/api/types";
import { duration } from "@/lib/format";
import { RehearsalMark } from "@/ui/mark";
import { Trouble, Waiting } from "@/ui/states";

import type { Step } from "./steps";

/** The forms of a song with the same steps in one row, so that what one leaves out is a gap. */
export function SideBySide({ song }: { song: Song }) {
  const { t } = useTranslation();
  const compared = useCompared(song);
  const sections = new Map(song.sections.map((s) => [s.id, s]));
  if (compared.error) return <Trouble error={compared.error} again={() => void compared.refetch()} />;
  if (!compared.data) return <Waiting />;
  const forms = compared.data.forms.flatMap((id) => song.forms.find((f) => f.id === id) ?? []);
  return (
    <table className="border-collapse bg-sheet">
      <thead>
        <tr>
          {forms.map((f) => (
            <th key={f.id} scope="col" className="min-w-[190px] border border-line px-3 py-2 text-left font-normal">
              <b className="text-[15px]">{f.name}</b>
              <span className="small block">
                {duration(f.seconds)} · {t("forms.bars", { count: f.bars })}
              </span>
            </th>
          ))}
        </tr>
      </thead>
      <tbody>
        {compared.data.rows.map((row, i) => (
          <tr key={i}>
            {row.map((place, k) => {
              const step = place === null ? undefined : forms[k]?.steps[place];
              return <Cell key={k} step={step} section={step && sections.get(step.section)} />;
            })}
          </tr>
        ))}
      </tbody>
    </table>
  );
}

interface CellProps {
  step: Step | undefined;
  section: Section | undefined;
}

/** A step of a form; a dash where the form leaves it out. */
function Cell({ step, section }: CellProps) {
  const { t } = useTranslation();
  return (
    <td className="h-[36px] border border-line px-3 py-1">
      {step && section ? (
        <span className={`flex items-center gap-2 ${step.ending.kind === "cut" ? "text-soft line-through" : ""}`}>
          <RehearsalMark mark={section.mark} colour={section.colour} />
          <span className="grow">{section.name}</span>
          {step.ending.kind !== "attacca" && (
            <span className="small">{t(`ending.road.${step.ending.kind}`, { times: step.ending.times ?? 2 })}</span>
          )}
        </span>
      ) : (
        <span className="small">–</span>
      )}
    </td>
  );
}
