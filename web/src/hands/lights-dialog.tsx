import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { LightRule } from "@/api/types";
import { LIGHTS } from "@/generated/core";
import { Dialog } from "@/ui/dialog";
import { FigureField, Labelled } from "@/ui/form";
import { useNotices } from "@/ui/notices";

import type { Shared } from "./shared";

const USUAL = { by: "same", channel: null, off: 0, ready: 20, playing: 127, next: 64, asked: 90, on: 127 } as const;

/** Opens how the lights of a port are set. */
export function LightsButton({ port, hands, change }: Pick<Shared, "hands" | "change"> & { port: string }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const [open, setOpen] = useState(false);
  const rule: LightRule = hands.lights.find((r) => r.port === port) ?? { port, ...USUAL };
  const set = (part: Partial<LightRule>) => change.mutate({ light: { ...rule, ...part } }, { onError: complain });
  const whole = (text: string) => Math.min(127, Math.max(0, Math.round(Number(text) || 0)));
  return (
    <>
      <button type="button" className="btn" onClick={() => setOpen(true)}>
        {t("hands.lights")}
      </button>
      <Dialog open={open} onOpenChange={setOpen} title={t("hands.lightsOf", { port })} about={t("hands.lightsAbout")}>
        <div className="grid grid-cols-2 gap-3">
          <Labelled label={t("hands.lightsBy")}>
            <select className="field" value={rule.by} onChange={(e) => set({ by: e.target.value as LightRule["by"] })}>
              {(["same", "note", "controller"] as const).map((by) => (
                <option key={by} value={by}>
                  {t(`hands.lightBy.${by}`)}
                </option>
              ))}
            </select>
          </Labelled>
          <Labelled label={t("hands.lightsChannel")}>
            <select
              className="field"
              value={rule.channel ?? ""}
              onChange={(e) => set({ channel: e.target.value ? Number(e.target.value) : null })}
            >
              <option value="">{t("hands.sameChannel")}</option>
              {Array.from({ length: 16 }, (_, i) => (
                <option key={i} value={i + 1}>
                  {i + 1}
                </option>
              ))}
            </select>
          </Labelled>
          {LIGHTS.map((light) => (
            <FigureField
              key={light}
              label={t(`hands.light.${light}`)}
              value={String(rule[light])}
              onDone={(text) => set({ [light]: whole(text) })}
            />
          ))}
        </div>
      </Dialog>
    </>
  );
}
