import { useTranslation } from "react-i18next";

import type { ClickPage, Cues, Section, Song } from "@/api/types";
import type { Edit } from "@/api/edits";
import { RehearsalMark } from "@/ui/mark";
import { Typed } from "@/ui/typed";
import { LENGTHS } from "@/generated/core";
import { HeadRow } from "@/ui/head-row";

interface Props {
  song: Song;
  whole: ClickPage["whole"];
  cues: Cues | undefined;
  set: (click: Record<string, unknown>) => Promise<boolean>;
  edit: Edit;
  /** Shows the words that lead into a section. */
  show: (section: string) => void;
}

export const LEADS = [1, 2, 3, 4, 8];

/** Section by section: what is said before it, in which words and how early, and how it is clicked. */
export function SectionTable({ song, whole, cues, set, edit, show }: Props) {
  const { t } = useTranslation();
  const calls = new Map(cues?.calls.map((c) => [c.section, c.text]));
  const names = new Map(cues?.passes.flatMap((p) => (p.into ? [[p.into.section, p.into.spoken] as const] : [])));
  return (
    <section aria-label={t("cues.sections")}>
      <div className="mb-1 flex items-center gap-4">
        <h2 className="grow">{t("cues.sections")}</h2>
        <label className="flex items-center gap-2">
          <span className="small">{t("click.divisions")}</span>
          <select
            className="field"
            value={whole.divisions ?? 1}
            onChange={(e) => void set({ divisions: Number(e.target.value) })}
          >
            {[1, 2, 3, 4].map((n) => (
              <option key={n} value={n}>
                {n === 1 ? t("click.none") : `× ${n}`}
              </option>
            ))}
          </select>
        </label>
      </div>
      <table className="w-full border-collapse border border-line bg-sheet [&_td]:border-t [&_td]:border-line2 [&_td]:px-1.5 [&_td]:py-1 [&_th]:px-1.5 [&_th]:py-1 [&_th]:text-left [&_thead_th]:text-[11.5px] [&_thead_th]:font-[600] [&_thead_th]:text-soft">
        <HeadRow
          titles={(["section", "called", "words", "lead", "wording", "clicked", "silent"] as const).map((c) =>
            t(`cues.col_${c}`),
          )}
        />
        <tbody>
          {song.sections.map((s) => (
            <Row
              key={s.id}
              section={s}
              call={calls.get(s.id) ?? ""}
              ready={cues !== undefined}
              spoken={names.get(s.id) ?? s.name}
              click={song.click}
              set={set}
              edit={edit}
              show={show}
            />
          ))}
        </tbody>
      </table>
    </section>
  );
}

interface RowProps {
  section: Section;
  /** The words that lead into it; empty where nothing is said. */
  call: string;
  /** Whether the words are worked out yet. */
  ready: boolean;
  /** What it is called where it has no wording of its own. */
  spoken: string;
  click: Song["click"];
  set: Props["set"];
  edit: Edit;
  show: (section: string) => void;
}

function Row({ section, call, ready, spoken, click, set, edit, show }: RowProps) {
  return (
    <tr>
      <th scope="row" className="border-t border-line2 font-[600]!">
        <span className="flex items-center gap-1.5">
          <RehearsalMark mark={section.mark} colour={section.colour} />
          <span dir="auto" className="tight max-w-[88px] truncate">
            {section.name}
          </span>
        </span>
      </th>
      <CalledCells section={section} call={call} ready={ready} edit={edit} show={show} />
      <WordingCells section={section} spoken={spoken} edit={edit} />
      <ClickCells section={section} click={click} set={set} />
    </tr>
  );
}

/** Whether the section is called, and in which words. */
function CalledCells({
  section,
  call,
  ready,
  edit,
  show,
}: Pick<RowProps, "section" | "call" | "ready" | "edit" | "show">) {
  const { t } = useTranslation();
  return (
    <>
      <td>
        <input
          type="checkbox"
          aria-label={t("cues.calledIn", { name: section.name })}
          checked={section.called ?? true}
          onChange={(e) => void edit("rename_section", { section: section.id, called: e.target.checked })}
        />
      </td>
      <td>
        {call ? (
          <button
            type="button"
            className="btn bare tight w-[150px] justify-start! px-0! text-left! whitespace-normal!"
            onClick={() => show(section.id)}
            aria-label={t("cues.showCall", { text: call, name: section.name })}
          >
            <span dir="auto">“{call}”</span>
          </button>
        ) : (
          <span className="small">{t(ready ? "cues.notSaid" : "cues.working")}</span>
        )}
      </td>
    </>
  );
}

/** How early the section is called, and its name in the call. */
function WordingCells({ section, spoken, edit }: Pick<RowProps, "section" | "spoken" | "edit">) {
  const { t } = useTranslation();
  return (
    <>
      <td>
        <select
          className="field w-[78px]"
          aria-label={t("cues.leadOf", { name: section.name })}
          value={section.lead ?? 0}
          onChange={(e) => void edit("rename_section", { section: section.id, lead: Number(e.target.value) || null })}
        >
          <option value={0}>{t("cues.asSong")}</option>
          {LEADS.map((n) => (
            <option key={n} value={n}>
              {t("click.bars", { count: n })}
            </option>
          ))}
        </select>
      </td>
      <td>
        <Typed
          className="w-[84px]"
          dir="auto"
          maxLength={LENGTHS.NAME}
          aria-label={t("cues.wordingOf", { name: section.name })}
          placeholder={spoken}
          value={section.cue ?? ""}
          onDone={(cue) => edit("rename_section", { section: section.id, cue })}
        />
      </td>
    </>
  );
}

/** How the section's beats are divided by the click, or that it is silent. */
function ClickCells({ section, click, set }: Pick<RowProps, "section" | "click" | "set">) {
  const { t } = useTranslation();
  const silent = click.silent ?? [];
  const parts = click.parts ?? {};
  const divide = (id: string, n: number) => {
    const { [id]: _, ...rest } = parts;
    void set({ parts: n ? { ...rest, [id]: n } : rest });
  };
  return (
    <>
      <td>
        <select
          className="field w-[78px]"
          aria-label={t("click.divisionsIn", { name: section.name })}
          value={parts[section.id] ?? 0}
          onChange={(e) => divide(section.id, Number(e.target.value))}
        >
          <option value={0}>{t("click.asPattern")}</option>
          {[1, 2, 3, 4].map((n) => (
            <option key={n} value={n}>
              × {n}
            </option>
          ))}
        </select>
      </td>
      <td>
        <input
          type="checkbox"
          aria-label={t("click.silentIn", { name: section.name })}
          checked={silent.includes(section.id)}
          onChange={(e) =>
            void set({ silent: e.target.checked ? [...silent, section.id] : silent.filter((x) => x !== section.id) })
          }
        />
      </td>
    </>
  );
}
