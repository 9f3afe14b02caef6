import { Check, TriangleAlert, X } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useSavedRig } from "@/api/queries";
import type { Feed, Rig } from "@/api/types";
import { useNotices } from "@/ui/notices";

import { InterfacePanel } from "./interface-panel";
import { OtherRig } from "./other-rig";
import { WhyDialog } from "./why-dialog";

const LOOKS = {
  ok: { icon: Check, colour: "text-pine" },
  look: { icon: TriangleAlert, colour: "text-brass" },
  wrong: { icon: X, colour: "text-clay" },
} as const;

/** The interface that is fed, and the rules of the routing, checked in words. */
export function OutputsSide({ rig, rigs, feeds }: { rig: Rig | undefined; rigs: Rig[]; feeds: Feed[] }) {
  const { t } = useTranslation();
  return (
    <aside
      aria-label={t("outputs.before")}
      className="min-h-0 overflow-auto border-l border-line bg-sheet px-4 py-[14px]"
    >
      {rig && <InterfacePanel rig={rig} />}
      <h2 className="mb-1">{t("outputs.before")}</h2>
      <ul>
        {rig?.checks.map((c) => (
          <CheckRow key={c.title + c.detail} check={c} rig={rig} />
        ))}
      </ul>
      {rig && <WhyButton rig={rig} feeds={feeds} />}
      {rig && <OtherRig rig={rig} rigs={rigs} feeds={feeds} />}
      <h2 className="mb-1 mt-5">{t("outputs.howTitle")}</h2>
      <p className="small">{t("outputs.how")}</p>
    </aside>
  );
}

function WhyButton({ rig, feeds }: { rig: Rig; feeds: Feed[] }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  return (
    <>
      <button type="button" className="btn mt-3" onClick={() => setOpen(true)}>
        {t("outputs.why.open")}
      </button>
      {open && <WhyDialog rig={rig} feeds={feeds} onClose={() => setOpen(false)} />}
    </>
  );
}

/** One thing looked at, and the press that mends it. */
function CheckRow({ check, rig }: { check: Rig["checks"][number]; rig: Rig }) {
  const { t } = useTranslation();
  const { save } = useSavedRig();
  const { complain } = useNotices();
  const { icon: Icon, colour } = LOOKS[check.state];
  const mend = check.mend;
  return (
    <li className="grid grid-cols-[20px_minmax(0,1fr)] gap-x-2 border-t border-line2 py-2">
      <Icon size={15} className={`mt-px ${colour}`} aria-label={t(`outputs.states.${check.state}`)} />
      <b className="font-[650]">{check.title}</b>
      <span />
      <span className="small">
        {check.detail}
        {mend && (
          <button
            type="button"
            className="btn mt-1 block"
            onClick={() => save.mutate({ id: rig.id, patches: mend.patches }, { onError: complain })}
          >
            {mend.text}
          </button>
        )}
      </span>
    </li>
  );
}
