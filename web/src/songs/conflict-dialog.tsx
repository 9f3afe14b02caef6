import { useTranslation } from "react-i18next";

import { Dialog } from "@/ui/dialog";

import { differences } from "./differences";
import type { Conflict } from "./use-edits";

const SHOWN = 12;

/** Somebody else was quicker: what they changed, and whether one's own edit is to be made as well. */
export function ConflictDialog({ conflict }: { conflict: Conflict }) {
  const { t } = useTranslation();
  const list = differences(conflict.old, conflict.now);
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && conflict.leave()}
      title={t("conflict.title")}
      about={conflict.message}
    >
      <h3 className="font-[650]">{t("conflict.theirs")}</h3>
      <ul className="mb-3 mt-1 list-disc pl-5">
        {list.slice(0, SHOWN).map((d, i) => (
          <li key={i}>
            {t(`conflict.what.${d.what as "title"}`, { name: d.name })}
            {(d.was || d.is) && (
              <>
                {": "}
                <s className="text-soft">{d.was || "–"}</s> → <b>{d.is || "–"}</b>
              </>
            )}
          </li>
        ))}
        {list.length > SHOWN && <li>{t("conflict.more", { count: list.length - SHOWN })}</li>}
        {list.length === 0 && <li>{t("conflict.same")}</li>}
      </ul>
      <p className="mb-4">{t("conflict.yours")}</p>
      <div className="flex justify-end gap-2">
        <button type="button" className="btn" onClick={conflict.leave}>
          {t("conflict.leave")}
        </button>
        <button type="button" className="btn pri" onClick={conflict.again}>
          {t("conflict.again")}
        </button>
      </div>
    </Dialog>
  );
}
