import { useTranslation } from "react-i18next";
import { Link, useNavigate, useParams } from "react-router";

import { useSetlists, useShows } from "@/api/queries";
import type { DressRun, Setlist, Show } from "@/api/types";
import { useEars } from "@/hear/use-ears";
import { dayAndClock, duration } from "@/lib/format";
import { Trouble, Waiting } from "@/ui/states";
import { Progress } from "@/ui/progress";

import { changeText } from "./change-text";
import { Faults } from "./dress-run-faults";
import { Sockets } from "./dress-run-sockets";
import { Timeline } from "./dress-run-timeline";
import { useDressRun, useDressRunActs } from "./use-dress-run";
import { useTaking } from "./use-taking";

/** A show looked at and played ahead of time: what would go wrong, and what mends it (rule P6). */
export function DressRunPage() {
  const { show: id = "" } = useParams();
  const [shows, setlists, run] = [useShows(), useSetlists(), useDressRun(id)];
  const failed = [shows, setlists, run].find((q) => q.error);
  if (failed?.error) return <Trouble error={failed.error} again={() => void failed.refetch()} />;
  const show = shows.data?.find((s) => s.id === id);
  const setlist = setlists.data?.find((s) => s.id === show?.setlist);
  if (!run.data || !show || !setlist) return <Waiting />;
  return (
    <div className="h-full overflow-auto px-5 py-4">
      <Head show={show} setlist={setlist} run={run.data} />
      <Under show={show} run={run.data} />
      {run.data.at !== null && <Found show={show} setlist={setlist} run={run.data} />}
    </div>
  );
}

function Head({ show, setlist, run }: { show: Show; setlist: Setlist; run: DressRun }) {
  const { t } = useTranslation();
  const navigate = useNavigate();
  const acts = useDressRunActs(show.id);
  const taking = useTaking(() => void navigate("/stage"));
  const working = run.state === "working";
  return (
    <div className="flex flex-wrap items-end gap-3">
      <div className="min-w-0 grow">
        <p className="small truncate">
          <Link to={`/setlists/${setlist.id}`}>{setlist.name}</Link> / {show.title}
        </p>
        <h1>{t("dressRun.title")}</h1>
      </div>
      {run.at !== null && (
        <span className="tag">{t("dressRun.lasts", { time: duration(run.seconds), at: dayAndClock(run.at) })}</span>
      )}
      {working ? (
        <button type="button" className="btn" onClick={() => acts.callOff.mutate(undefined)}>
          {t("dressRun.cancel")}
        </button>
      ) : (
        <button type="button" className="btn" disabled={acts.run.isPending} onClick={() => acts.run.mutate(undefined)}>
          {t(run.at === null ? "dressRun.run" : "dressRun.again")}
        </button>
      )}
      <button type="button" className="btn pri" disabled={taking.busy} onClick={() => taking.take(show.id)}>
        {t("setlist.take")}
      </button>
      {taking.question}
    </div>
  );
}

/** How far a run is, that it came to no end, that there was none, or what was edited since. */
function Under({ show, run }: { show: Show; run: DressRun }) {
  const { t } = useTranslation();
  if (run.state === "working")
    return (
      <p role="status" className="mt-3 flex items-center gap-3">
        <Progress label={t("dressRun.title")} done={run.progress} className="h-2 w-[260px]" />
        {t("dressRun.running", { percent: Math.round(100 * run.progress) })}
      </p>
    );
  if (run.state === "refused")
    return <p className="mt-3 text-clay">{t("dressRun.refused", { message: run.message })}</p>;
  if (run.at === null) return <p className="mt-3 max-w-[560px] text-soft">{t("dressRun.about")}</p>;
  if (!run.changed.length) return null;
  return (
    <details className="mt-3" key={show.id}>
      <summary className="text-brass">{t("dressRun.changed", { count: run.changed.length })}</summary>
      <ul className="small ml-4 list-disc">
        {run.changed.map((c, i) => (
          <li key={i}>{changeText(c, t)}</li>
        ))}
      </ul>
    </details>
  );
}

function Found({ show, setlist, run }: { show: Show; setlist: Setlist; run: DressRun }) {
  const { t } = useTranslation();
  const ears = useEars();
  const { files = 0, seams = 0, words = 0 } = run.counts;
  return (
    <>
      <Timeline run={run} />
      <div className="mt-2 grid grid-cols-[minmax(0,1fr)_330px] gap-7">
        <section aria-label={t("dressRun.faults")}>
          <Faults show={show} setlist={setlist} run={run} ears={ears} />
          <p className="small mt-3">{t("dressRun.well", { files, seams, words })}</p>
        </section>
        <Sockets run={run} />
      </div>
    </>
  );
}
