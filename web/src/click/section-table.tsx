import { useTranslation } from "react-i18next";

import type { ClickPage, Cues, Song } from "@/api/types";
import type { Edit } from "@/api/edits";
import { RehearsalMark } from "@/ui/mark";
import { Typed } from "@/ui/typed";
import { LENGTHS } from "@/generated/core";

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
  const silent = song.click.silent ?? [];
  const parts = song.click.parts ?? {};
  const calls = new Map(cues?.calls.map((c) => [c.section, c.text]));
  const names = new Map(cues?.passes.flatMap((p) => (p.into ? [[p.into.section, p.into.spoken] as const] : [])));
  const divide = (id: string, n: number) => {
    const { [id]: _, ...rest } = parts;
    void set({ parts: n ? { ...rest, [id]: n } : rest });
  };
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
        <thead>
          <tr>
            {(["section", "called", "words", "lead", "wording", "clicked", "silent"] as const).map((c) => (
              <th key={c} scope="col">
                {t(`cues.col_${c}`)}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {song.sections.map((s) => {
            const call = calls.get(s.id) ?? "";
            return (
              <tr key={s.id}>
                <th scope="row" className="border-t border-line2 font-[600]!">
                  <span className="flex items-center gap-1.5">
                    <RehearsalMark mark={s.mark} colour={s.colour} />
                    <span dir="auto" className="tight max-w-[88px] truncate">
                      {s.name}
                    </span>
                  </span>
                </th>
                <td>
                  <input
                    type="checkbox"
                    aria-label={t("cues.calledIn", { name: s.name })}
                    checked={s.called ?? true}
                    onChange={(e) => void edit("rename_section", { section: s.id, called: e.target.checked })}
                  />
                </td>
                <td>
                  {call ? (
                    <button
                      type="button"
                      className="btn bare tight w-[150px] justify-start! px-0! text-left! whitespace-normal!"
                      onClick={() => show(s.id)}
                      aria-label={t("cues.showCall", { text: call, name: s.name })}
                    >
                      <span dir="auto">“{call}”</span>
                    </button>
                  ) : (
                    <span className="small">{t(cues ? "cues.notSaid" : "cues.working")}</span>
                  )}
                </td>
                <td>
                  <select
                    className="field w-[78px]"
                    aria-label={t("cues.leadOf", { name: s.name })}
                    value={s.lead ?? 0}
                    onChange={(e) =>
                      void edit("rename_section", { section: s.id, lead: Number(e.target.value) || null })
                    }
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
                    aria-label={t("cues.wordingOf", { name: s.name })}
                    placeholder={names.get(s.id) ?? s.name}
                    value={s.cue ?? ""}
                    onDone={(cue) => edit("rename_section", { section: s.id, cue })}
                  />
                </td>
                <td>
                  <select
                    className="field w-[78px]"
                    aria-label={t("click.divisionsIn", { name: s.name })}
                    value={parts[s.id] ?? 0}
                    onChange={(e) => divide(s.id, Number(e.target.value))}
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
                    aria-label={t("click.silentIn", { name: s.name })}
                    checked={silent.includes(s.id)}
                    onChange={(e) =>
                      void set({ silent: e.target.checked ? [...silent, s.id] : silent.filter((x) => x !== s.id) })
                    }
                  />
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
    </section>
  );
}
