import { useTranslation } from "react-i18next";

import { Dialog } from "@/ui/dialog";

import { type ActionName, ACTIONS } from "./actions";

/** Every key of the stage on one sheet. */
export function KeySheet({ onClose }: { onClose: () => void }) {
  const { t } = useTranslation();
  return (
    <Dialog open onOpenChange={onClose} title={t("stage.keys.title")}>
      <p className="small mb-3">{t("stage.keys.about")}</p>
      <dl className="grid grid-cols-[auto_minmax(0,1fr)_auto_minmax(0,1fr)] items-baseline gap-x-3 gap-y-2">
        {(Object.keys(ACTIONS) as ActionName[]).map((name) => (
          <Row key={name} keyed={ACTIONS[name].written} held={"held" in ACTIONS[name]} does={t(`stage.keys.${name}`)} />
        ))}
        <Row keyed="1 – 9" does={t("stage.keys.sections")} />
        <Row keyed="P" does={t("stage.keys.parts")} />
        <Row keyed="L" does={t("stage.keys.large")} />
        <Row keyed="W" does={t("stage.keys.words")} />
        <Row keyed="Y" does={t("stage.keys.why")} />
        <Row keyed="?" does={t("stage.keys.sheet")} />
      </dl>
    </Dialog>
  );
}

function Row({ keyed, does, held = false }: { keyed: string; does: string; held?: boolean }) {
  const { t } = useTranslation();
  return (
    <>
      <dt>
        <kbd className="rounded border border-line px-2 py-px font-[inherit] font-bold">{keyed}</kbd>
      </dt>
      <dd>
        {does}
        {held && <span className="text-soft"> · {t("stage.keys.held")}</span>}
      </dd>
    </>
  );
}
