import { useTranslation } from "react-i18next";

import { dbfs, signed } from "@/lib/format";

import { alongMeter, FLOOR_DB, useHeldPeak } from "./held-peak";

/** The peak level of a socket in figures, and along a bar; the thin line is the highest of the last two seconds. */
export function SocketLevel({ level, bar = "" }: { level: number; bar?: string }) {
  const { t } = useTranslation();
  const db = dbfs(level);
  const held = useHeldPeak(db);
  const over = held > -0.1;
  return (
    <>
      <span className={`text-[11.5px] ${over ? "font-bold text-clay" : "text-soft"}`}>
        {over ? t("stage.over_level") : held > FLOOR_DB ? signed(held) : t("stage.silent")}
      </span>
      <span className={`relative mt-[2px] h-[8px] bg-line2 ${bar}`} data-level={db > FLOOR_DB ? db.toFixed(1) : ""}>
        <span
          className="absolute inset-0 bg-[linear-gradient(90deg,var(--pine)_0_78%,var(--brass)_78%_92%,var(--clay)_92%)]"
          style={{ clipPath: `inset(0 ${100 - alongMeter(db) * 100}% 0 0)` }}
        />
        {held > FLOOR_DB && (
          <span className="absolute inset-y-[-1px] w-[2px] bg-ink" style={{ left: `${alongMeter(held) * 100}%` }} />
        )}
      </span>
    </>
  );
}
