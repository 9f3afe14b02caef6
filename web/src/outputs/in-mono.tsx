import { useTranslation } from "react-i18next";

import { useInMono } from "@/api/outputs";
import type { Show } from "@/api/types";

/** Less than this is not worth a word. */
const LEAST_DB = 3;
const SHOWN = 5;

/** The stems that are softer in the house on this rig than in stereo. */
export function InMono({ show }: { show: Show }) {
  const { t } = useTranslation();
  const found = useInMono(show.id).data?.lost;
  if (!found) return null;
  const lost = found.filter((one) => one.db === null || one.db >= LEAST_DB);
  return (
    <section aria-label={t("outputs.inMono.title")} className="mt-5">
      <h2 className="mb-1">{t("outputs.inMono.title")}</h2>
      {lost.length === 0 && <p className="small">{t("outputs.inMono.nothing", { db: LEAST_DB })}</p>}
      <ul className="small">
        {lost.slice(0, SHOWN).map((one) => (
          <li key={one.what} className="border-t border-line2 py-1">
            {one.message}
          </li>
        ))}
        {lost.length > SHOWN && (
          <li className="border-t border-line2 py-1">{t("outputs.other.more", { count: lost.length - SHOWN })}</li>
        )}
      </ul>
    </section>
  );
}
