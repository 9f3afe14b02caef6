import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import { useLineUps, usePlayers, useSavedSetlist, useSavedShow, useShows } from "@/api/queries";
import type { Setlist, Show } from "@/api/types";
import { dayAndClock, duration, timeAfter } from "@/lib/format";
import { useDressRun } from "@/shows/use-dress-run";
import { Confirm } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { LeftList } from "./left-list";
import { MatchDialog } from "./match-dialog";
import { ShowDialog } from "./show-dialog";

const MOST_PARTED = 80;

/** The slot, the shows made of this setlist, and what the joints mean. */
export function SetlistSide({ setlist, take }: { setlist: Setlist; take: () => void }) {
  const { t } = useTranslation();
  const [matching, setMatching] = useState(false);
  const shows = useShows();
  const mine = shows.data?.filter((s) => s.setlist === setlist.id) ?? [];
  return (
    <aside
      aria-label={t("setlist.side")}
      className="flex min-h-0 flex-col gap-5 overflow-auto border-l border-line bg-sheet px-4 py-[14px]"
    >
      <Slot setlist={setlist} />
      <LeftList setlist={setlist} match={() => setMatching(true)} take={take} />
      <section>
        <h2 className="mb-1">{t("setlist.shows")}</h2>
        {mine.length ? (
          mine.map((show) => <ShowCard key={show.id} show={show} setlist={setlist} />)
        ) : (
          <p className="text-soft">{t("setlist.noShows")}</p>
        )}
      </section>
      <Together setlist={setlist} match={() => setMatching(true)} />
      {matching && <MatchDialog setlist={setlist} onClose={() => setMatching(false)} />}
      <section className="mt-auto">
        <h2 className="mb-1">{t("setlist.afterEach")}</h2>
        <dl className="small [&_dd]:mb-1 [&_dt]:font-semibold [&_dt]:text-ink">
          {(["wait", "attacca", "after"] as const).map((link) => (
            <div key={link}>
              <dt>{t(`link.${link}`)}</dt>
              <dd>{t(`link.about.${link}`)}</dd>
            </div>
          ))}
        </dl>
      </section>
    </aside>
  );
}

/** What is done with all songs at once: made equally loud, and their guides given away. */
function Together({ setlist, match }: { setlist: Setlist; match: () => void }) {
  const { t } = useTranslation();
  return (
    <section>
      <h2 className="mb-1">{t("match.heading")}</h2>
      <button type="button" className="btn" onClick={match} disabled={!setlist.entries.some((e) => e.song)}>
        {t("match.open")}
      </button>
      {setlist.entries.some((e) => e.song) && (
        <p className="mt-2 flex flex-wrap items-center gap-1.5">
          <span className="small">{t("setlist.guides")}</span>
          {(["wav", "flac", "mid"] as const).map((kind) => (
            <a key={kind} className="btn" download href={`/api/setlists/${setlist.id}/guides/?what=both&kind=${kind}`}>
              {t(`click.kind_${kind}`)}
            </a>
          ))}
        </p>
      )}
    </section>
  );
}

/** The entries as long as they are, in the room that there is. */
function SlotBar({ setlist }: { setlist: Setlist }) {
  const { t } = useTranslation();
  const slot = setlist.slot_minutes * 60;
  const over = setlist.seconds - slot;
  const whole = Math.max(slot, setlist.seconds);
  // Lines between very many songs would be all that is left of them.
  const parted = setlist.entries.length <= MOST_PARTED;
  return (
    <div
      className="flex h-[20px] bg-line2"
      role="img"
      aria-label={t(over > 0 ? "setlist.tooLong" : "setlist.left", { time: duration(Math.abs(over)) })}
    >
      {setlist.entries.map((e) => (
        <span
          key={e.id}
          className={`${parted ? "border-r border-sheet" : ""} ${e.song ? (over > 0 ? "bg-clay" : "bg-pine") : "bg-edge"}`}
          style={{ width: `${(100 * e.seconds) / whole}%` }}
        />
      ))}
    </div>
  );
}

function Slot({ setlist }: { setlist: Setlist }) {
  const { t } = useTranslation();
  const { save } = useSavedSetlist();
  const { complain } = useNotices();
  const slot = setlist.slot_minutes * 60;
  const over = setlist.seconds - slot;
  return (
    <section>
      <h2>{t("setlist.slot")}</h2>
      <div className="my-1 flex items-baseline justify-between">
        <b className="text-[24px] [font-stretch:80%]">{duration(setlist.seconds)}</b>
        <span className="small">
          {setlist.starts_at ? t("setlist.ends", { time: timeAfter(setlist.starts_at, setlist.seconds) }) : ""}
        </span>
      </div>
      <SlotBar setlist={setlist} />
      <p className={`mt-1 ${over > 0 ? "font-semibold text-clay" : "small"}`}>
        {t(over > 0 ? "setlist.tooLong" : "setlist.left", { time: duration(Math.abs(over)) })}
      </p>
      <div className="mt-2 flex items-center gap-3">
        <label className="flex items-center gap-1">
          <span className="small">{t("setlist.slotMinutes")}</span>
          <Typed
            className="w-[52px]"
            inputMode="numeric"
            value={String(setlist.slot_minutes)}
            onDone={(m) => save.mutate({ id: setlist.id, slot_minutes: Number(m) }, { onError: complain })}
          />
          <span className="small">{t("setlist.min")}</span>
        </label>
        <label className="flex items-center gap-1">
          <span className="small">{t("setlist.startsAt")}</span>
          <Typed
            className="w-[62px]"
            placeholder="20:15"
            value={setlist.starts_at ?? ""}
            onDone={(time) => save.mutate({ id: setlist.id, starts_at: time || null }, { onError: complain })}
          />
        </label>
      </div>
    </section>
  );
}

function WhoIsOn({ show }: { show: Show }) {
  const { t } = useTranslation();
  const players = usePlayers();
  const lineUp = useLineUps().data?.find((l) => l.id === show.line_up);
  return (
    <p className="mt-1 flex flex-wrap gap-1">
      {players.data?.map((p) => {
        const gone = lineUp?.away?.includes(p.id);
        const guest = gone && lineUp?.guests?.[p.id];
        return (
          <span key={p.id} className={`tag ${gone && !guest ? "bg-claybg! text-clay!" : "bg-pinebg! text-pine!"}`}>
            {guest
              ? t("lineUp.guest", { guest, name: p.name })
              : t(gone ? "setlist.away" : "setlist.plays", { name: p.name })}
          </span>
        );
      })}
    </p>
  );
}

/** When the show was last run, what was found, and how much was edited since. */
function LastRun({ show }: { show: Show }) {
  const { t } = useTranslation();
  const run = useDressRun(show.id).data;
  if (!run || run.at === null) return <p className="small mt-1">{t("dressRun.never")}</p>;
  const open = run.faults.filter((f) => !f.left);
  const wrong = open.filter((f) => f.severity === "wrong").length;
  return (
    <p className="small mt-1">
      {t("dressRun.last", { at: dayAndClock(run.at) })}
      {" · "}
      <span className={wrong ? "font-semibold text-clay" : ""}>
        {open.length ? t("dressRun.found", { count: open.length }) : t("dressRun.clean")}
      </span>
      {run.changed.length > 0 && (
        <span className="text-brass"> · {t("dressRun.changed", { count: run.changed.length })}</span>
      )}
    </p>
  );
}

function ShowCard({ show, setlist }: { show: Show; setlist: Setlist }) {
  const { t } = useTranslation();
  const lineUp = useLineUps().data?.find((l) => l.id === show.line_up);
  const { remove } = useSavedShow();
  const { complain } = useNotices();
  const [open, setOpen] = useState(false);
  const [deleting, setDeleting] = useState(false);
  return (
    <div className="border-t border-line2 py-2">
      <p className="font-[650]">{show.title}</p>
      <p className="small">{[show.date, show.rig_name, lineUp?.name].filter(Boolean).join(" · ")}</p>
      <WhoIsOn show={show} />
      <LastRun show={show} />
      <div className="mt-2 flex flex-wrap gap-1.5">
        <button type="button" className="btn" onClick={() => setOpen(true)}>
          {t("setlist.openShow")}
        </button>
        <Link className="btn" to={`/setlists/${setlist.id}/dress-run/${show.id}`}>
          {t("dressRun.open")}
        </Link>
        <a className="btn" href={`/api/shows/${show.id}/bundle/`} download>
          {t("setlist.save")}
        </a>
        <button type="button" className="btn bare text-clay" onClick={() => setDeleting(true)}>
          {t("setlist.deleteShow")}
        </button>
      </div>
      {open && <ShowDialog setlist={setlist} show={show} onClose={() => setOpen(false)} />}
      <Confirm
        open={deleting}
        onOpenChange={setDeleting}
        title={t("setlist.deleteShowTitle", { name: show.title })}
        about={t("setlist.deleteShowAbout")}
        yes={t("setlist.deleteShow")}
        onYes={() => remove.mutate(show.id, { onError: complain })}
      />
    </div>
  );
}
