import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { TimesTaken } from "@/api/types";
import { dayAndClock, duration, signed } from "@/lib/format";
import { Trouble, Waiting } from "@/ui/states";

import { useTimesTaken } from "./use-nights";

/** How long each song really took, night by night. */
export function SongTimes() {
  const { t } = useTranslation();
  const times = useTimesTaken(true);
  if (times.isPending) return <Waiting />;
  if (times.error) return <Trouble error={times.error} again={() => void times.refetch()} />;
  return (
    <>
      <h1>{t("nights.times")}</h1>
      <p className="small mb-3 max-w-[560px]">{t("nights.timesAbout")}</p>
      {times.data.songs.length ? (
        times.data.songs.map((song) => <Times key={song.song} song={song} />)
      ) : (
        <p className="text-soft">{t("nights.noTimes")}</p>
      )}
    </>
  );
}

function Times({ song }: { song: TimesTaken["songs"][number] }) {
  const { t } = useTranslation();
  const all = song.times.map((time) => time.seconds);
  const [least, most] = [Math.min(...all), Math.max(...all)];
  return (
    <section aria-label={song.title} className="border-t border-line py-2">
      <h2 className="flex flex-wrap items-baseline gap-x-3 text-[14px]! text-ink!">
        <span className="[overflow-wrap:anywhere]">{song.title}</span>
        <span className="small">
          {t("nights.usual", {
            count: all.length,
            usual: duration(song.usual_s),
            least: duration(least),
            most: duration(most),
          })}
        </span>
      </h2>
      <ul>
        {song.times.map((time, i) => (
          <li key={i} className="grid grid-cols-[170px_minmax(60px,420px)_auto] items-center gap-3">
            <Link to={`/nights/${time.name}`} className="small underline">
              {dayAndClock(time.at)}
            </Link>
            <span className="relative h-[10px] bg-line2" aria-hidden>
              <span
                className="absolute inset-y-0 left-0 bg-pine"
                style={{ width: `${(100 * time.seconds) / Math.max(most, time.prepared_s)}%` }}
              />
              <span
                className="absolute inset-y-[-2px] w-[2px] bg-ink"
                style={{ left: `calc(${(100 * time.prepared_s) / Math.max(most, time.prepared_s)}% - 2px)` }}
              />
            </span>
            <span className="small">
              <b className="text-ink">{duration(time.seconds)}</b> {time.form}{" "}
              {signed(time.seconds - time.prepared_s, 0, true)} {t("nights.s")}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
