import { useTranslation } from "react-i18next";
import { Navigate, NavLink, useParams } from "react-router";

import { useNights } from "@/api/queries";
import type { Nights } from "@/api/types";
import { dayAndClock } from "@/lib/format";
import { Trouble, Waiting } from "@/ui/states";

import { NightReport } from "./night-report";
import { SongTimes } from "./song-times";

const TIMES = "times";

/** The nights that were played, each told afterwards, and how long songs took in all of them (rule P12). */
export function NightsPage() {
  const { t } = useTranslation();
  const { name } = useParams();
  const nights = useNights();
  if (nights.isPending) return <Waiting />;
  if (nights.error) return <Trouble error={nights.error} again={() => void nights.refetch()} />;
  const played = nights.data.nights.filter((night) => night.played);
  if (name === undefined && played[0]) return <Navigate to={`/nights/${played[0].name}`} replace />;
  if (name === undefined || !played.length)
    return (
      <div className="flex flex-col items-center gap-3 pt-24">
        <h1>{t("places.nights")}</h1>
        <p className="max-w-[460px] text-center text-soft">{t("nights.none", { days: nights.data.kept_days })}</p>
      </div>
    );
  return (
    <div className="grid h-full grid-cols-[262px_minmax(0,1fr)]">
      <List nights={played} days={nights.data.kept_days} />
      <div className="min-h-0 overflow-auto px-5 py-[14px]">
        {name === TIMES ? <SongTimes /> : <NightReport key={name} name={name} />}
      </div>
    </div>
  );
}

function List({ nights, days }: { nights: Nights["nights"]; days: number }) {
  const { t } = useTranslation();
  const look = ({ isActive }: { isActive: boolean }) =>
    `block border-l-4 px-3 py-2 ${isActive ? "border-brassline bg-paper" : "border-transparent hover:bg-paper"}`;
  return (
    <nav aria-label={t("nights.list")} className="flex min-h-0 flex-col border-r border-line bg-sheet py-[14px]">
      <NavLink to={`/nights/${TIMES}`} className={look}>
        <span className="font-[650]">{t("nights.times")}</span>
      </NavLink>
      <ul className="min-h-0 flex-1 overflow-auto border-t border-line2">
        {nights.map((night) => (
          <li key={night.name}>
            <NavLink to={`/nights/${night.name}`} className={look}>
              <span className="block font-[650] [overflow-wrap:anywhere]">{night.title}</span>
              <span className="small">{dayAndClock(night.began)}</span>
            </NavLink>
          </li>
        ))}
      </ul>
      <p className="small px-3 pt-2">{t("nights.kept", { days })}</p>
    </nav>
  );
}
