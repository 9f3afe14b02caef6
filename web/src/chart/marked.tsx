import { Check, Flag } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Edit } from "@/api/edits";
import type { Marks } from "@/api/types";
import { dayAndClock } from "@/lib/format";

import { chooseBar } from "./choose-bar";
import type { Selection } from "./use-selection";

interface Props {
  marks: Marks["marks"];
  edit: Edit;
  selection: Selection;
}

/** Places that were marked in rehearsal (rule P13): each chosen in the chart by a press, and gone once it is seen to. */
export function Marked({ marks, edit, selection }: Props) {
  const { t } = useTranslation();
  if (!marks.length) return null;
  return (
    <section aria-labelledby="marked" className="mx-5 mb-2 flex flex-wrap items-center gap-x-3 gap-y-1">
      <h2 id="marked" className="flex items-center gap-1 text-[13px]! text-ink!">
        <Flag size={13} className="text-plum" aria-hidden />
        {t("marks.title")}
      </h2>
      <ul className="flex max-h-[76px] min-w-0 flex-wrap gap-1 overflow-auto">
        {marks.map((mark) => {
          const when = t(mark.by ? "marks.by" : "marks.at", { when: dayAndClock(mark.at), who: mark.by });
          return (
            <li key={mark.id} className="flex border border-line bg-sheet">
              <button
                type="button"
                className="btn bare"
                title={when}
                aria-label={t("marks.go", { bar: mark.bar, when })}
                onClick={() => chooseBar(selection, mark.bar)}
              >
                {t("marks.bar", { bar: mark.bar })}
              </button>
              <button
                type="button"
                className="btn bare text-pine!"
                aria-label={t("marks.done", { bar: mark.bar, when })}
                onClick={() => edit("done_mark", { mark: mark.id })}
              >
                <Check size={14} aria-hidden />
              </button>
            </li>
          );
        })}
      </ul>
    </section>
  );
}
