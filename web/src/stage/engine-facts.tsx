import type { TFunction } from "i18next";
import { useTranslation } from "react-i18next";

import type { Playing } from "./engine-state";

/** What is wrong with the engine while the music goes on, in words. */
function troubles(state: Playing, t: TFunction): string[] {
  return [
    state.device_there ? "" : t("stage.gone", { why: state.device_problem }),
    state.unheard.length ? t("stage.unheard", { outputs: state.channels, sockets: state.unheard.join(", ") }) : "",
    state.unreadable.length ? t("stage.unreadable", { names: state.unreadable.join(", ") }) : "",
    state.faults ? t("stage.faults") : "",
    state.unwritten ? t("stage.unwritten") : "",
    state.renderers < 2 ? t("stage.alone") : "",
    goneParts(state, t),
  ].filter(Boolean);
}

/** Parts beside the engine that have ended: what plays does not need them. */
function goneParts({ load }: Playing, t: TFunction): string {
  const names = load?.gone.map((name) => t(`stage.load.parts.${name as "web"}`)) ?? [];
  return names.length ? t("stage.partsGone", { names: names.join(", ") }) : "";
}

/** How the engine is: what is wrong, else its dropouts, and what the device holds. */
export function EngineFacts({ state }: { state: Playing }) {
  const { t } = useTranslation();
  const wrong = troubles(state, t);
  return wrong.length ? (
    <span role="status" className="leading-tight whitespace-normal text-clay">
      {wrong.join(" · ")}
    </span>
  ) : (
    <span className={state.dropouts ? "text-clay" : ""}>
      {t(state.dropouts ? "stage.dropouts" : "stage.steady", { count: state.dropouts })}
      <span className="hidden min-[1500px]:inline">
        {" · "}
        {t("stage.device", { device: state.device.replace(/^interface:/, ""), ms: Math.round(state.latency_ms) })}
      </span>
    </span>
  );
}
