import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useFed } from "@/api/queries";
import type { Fed, Rig } from "@/api/types";

import { InterfaceDialog } from "./interface-dialog";

/** Which interface is fed now, which one the rig has kept, and the way to another. */
export function InterfacePanel({ rig }: { rig: Rig }) {
  const { t } = useTranslation();
  const fed = useFed();
  const [choosing, setChoosing] = useState(false);
  const now = fed.data?.now;
  const kept = rig.interface && rig.interface.name !== now?.name ? rig.interface.name : null;
  const used = kept ? rig.interface : now;
  const few = used && rig.patches.some((p) => p.socket > used.outputs);
  return (
    <section aria-label={t("outputs.interface.title")} className="mb-5">
      <h2 className="mb-1">{t("outputs.interface.title")}</h2>
      {fed.data && !now && <p className="text-clay">{t("outputs.interface.silent")}</p>}
      {now && <Now now={now} />}
      {kept && now && (
        <p role="status" className="mt-1 text-clay">
          {t("outputs.interface.other", { name: titleOf(kept), now: titleOf(now.name) })}
        </p>
      )}
      {kept && !now && <p className="small mt-1">{t("outputs.interface.kept", { name: titleOf(kept) })}</p>}
      {few && (
        <p role="status" className="mt-1 text-clay">
          {t("outputs.interface.few", { name: titleOf(used.name), outputs: used.outputs })}
        </p>
      )}
      <button type="button" className="btn mt-2" onClick={() => setChoosing(true)}>
        {t("outputs.interface.choose")}
      </button>
      {choosing && <InterfaceDialog rig={rig} onClose={() => setChoosing(false)} />}
    </section>
  );
}

function Now({ now }: { now: NonNullable<Fed["now"]> }) {
  const { t } = useTranslation();
  return (
    <>
      <p className="font-[650]">{t("outputs.interface.now", { name: titleOf(now.name), outputs: now.outputs })}</p>
      {now.there ? (
        <p className="small">{t("outputs.interface.heard", { ms: Math.round(now.latency_ms) })}</p>
      ) : (
        <p role="status" className="text-clay">
          {now.problem}
        </p>
      )}
    </>
  );
}

/** An interface's name as it is shown. */
export const titleOf = (name: string) => (name === "simulated" ? "Simulated" : name.replace(/^interface:/, ""));
