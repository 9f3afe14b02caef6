import { useTranslation } from "react-i18next";

import type { DressRun } from "@/api/types";
import { signed } from "@/lib/format";

/** What leaves each socket at its loudest, and where. */
export function Sockets({ run }: { run: DressRun }) {
  const { t } = useTranslation();
  return (
    <section>
      <h2 className="mb-1">{t("dressRun.sockets")}</h2>
      <table className="w-full">
        <thead>
          <tr className="small text-left">
            <th className="font-normal">{t("dressRun.col_socket")}</th>
            <th className="font-normal">{t("dressRun.col_peak")}</th>
            <th className="font-normal">{t("dressRun.col_where")}</th>
          </tr>
        </thead>
        <tbody>
          {run.sockets.map((s) => (
            <tr key={s.number} className="border-t border-line2">
              <td className="max-w-[150px] truncate py-1" title={s.carries}>
                {s.number} {s.carries}
              </td>
              <td
                className={`tnum py-1 ${Math.round(10 * (s.true_peak_dbtp ?? 0)) > 0 ? "font-semibold text-clay" : ""}`}
              >
                {s.true_peak_dbtp === null ? t("dressRun.silent") : signed(s.true_peak_dbtp, 1, true)}
              </td>
              <td className="tnum py-1">
                {s.entry === null ? "" : s.bar === null ? s.entry : t("dressRun.bar", { entry: s.entry, bar: s.bar })}
              </td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
