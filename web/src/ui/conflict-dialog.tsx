import { useTranslation } from "react-i18next";

import { Dialog } from "./dialog";

export interface Difference {
  what: string;
  /** What it is about, such as the name of a section. */
  name: string;
  was: string;
  is: string;
}

interface Props {
  message: string;
  differences: Difference[];
  yours: string;
  leave: () => void;
  again: () => void;
}

const SHOWN = 12;

/** Somebody else was quicker: what they changed, and whether one's own change is to be made as well. */
export function ConflictDialog({ message, differences, yours, leave, again }: Props) {
  const { t } = useTranslation();
  return (
    <Dialog open wide onOpenChange={(open) => !open && leave()} title={t("conflict.title")} about={message}>
      <h3 className="font-[650]">{t("conflict.theirs")}</h3>
      <ul className="mb-3 mt-1 list-disc pl-5">
        {differences.slice(0, SHOWN).map((d, i) => (
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
        {differences.length > SHOWN && <li>{t("conflict.more", { count: differences.length - SHOWN })}</li>}
        {differences.length === 0 && <li>{t("conflict.same")}</li>}
      </ul>
      <p className="mb-4">{yours}</p>
      <div className="flex justify-end gap-2">
        <button type="button" className="btn" onClick={leave}>
          {t("conflict.leave")}
        </button>
        <button type="button" className="btn pri" onClick={again}>
          {t("conflict.again")}
        </button>
      </div>
    </Dialog>
  );
}
