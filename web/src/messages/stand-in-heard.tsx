import type { TFunction } from "i18next";
import { useTranslation } from "react-i18next";

import type { StandIn } from "@/api/types";
import { signed } from "@/lib/format";

/** What came, the newest first. */
export function Heard({ one }: { one: StandIn }) {
  const { t } = useTranslation();
  if (one.heard.length === 0) return <p className="small">{t("standIns.nothing")}</p>;
  return (
    <ol aria-label={t("standIns.came")} className="small">
      {one.heard.map((h) => (
        <li key={h.number}>{came(h, t)}</li>
      ))}
    </ol>
  );
}

const came = (heard: StandIn["heard"][number], t: TFunction) =>
  [
    t("standIns.one", { number: heard.number, data: heard.data }),
    heard.late_ms === null ? "" : t("stage.devices.late", { ms: signed(heard.late_ms) }),
  ]
    .filter(Boolean)
    .join(" · ");
