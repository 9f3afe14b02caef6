import type { TFunction } from "i18next";
import { useTranslation } from "react-i18next";

import type { Grid } from "@/api/types";
import { signed, tempo } from "@/lib/format";
import { Progress } from "@/ui/progress";

interface Props {
  grid: Grid;
  take: (how: string) => void;
  setMetre: (metre: string) => void;
  look: (bar: number) => void;
}

/** What is wrong with the grid, in words and numbers, and what does away with it. */
export function Proposal({ grid, take, setMetre, look }: Props) {
  const { t } = useTranslation();
  if (grid.state === "working")
    return (
      <Box>
        <div className="grow" role="status">
          <b>{t("grid.listening")}</b>
          <Progress label={t("grid.listening")} done={grid.progress} className="mt-1 block h-[6px] w-full" />
        </div>
      </Box>
    );
  if (grid.state === "refused") return <Box bad>{grid.message}</Box>;
  const p = grid.proposal;
  if (!p) return <Box>{t("grid.nothingToHear")}</Box>;
  if (p.unsure) return <Box bad>{t("grid.unsure")}</Box>;
  const sure = t("grid.confidence", { percent: Math.round(grid.confidence * 100), count: grid.heard_beats });
  const well = p.ways.length === 0;
  return (
    <Box good={well}>
      <div className="min-w-[280px] grow basis-[320px]">
        <b>{headline(p, t)}</b>
        <br />
        <span className="small">
          {p.steady ? t("grid.keeps", { typed: tempo(p.typed), heard: tempo(p.heard) }) : p.sentence}{" "}
          {!well && t("grid.after", { worst: p.worst_after_ms })} {sure}
        </span>
        <Doubts proposal={p} setMetre={setMetre} look={look} />
      </div>
      <Ways proposal={p} take={take} />
    </Box>
  );
}

type Proposed = NonNullable<Grid["proposal"]>;

/** What is wrong, in one sentence: the tempo by an octave, a drift, an offset, or nothing. */
function headline(p: Proposed, t: TFunction): string {
  return p.factor !== 1
    ? t("grid.octave", { typed: tempo(p.typed), heard: tempo(p.heard) })
    : p.ways.length === 0
      ? t("grid.well", { worst: p.worst_after_ms })
      : !p.steady
        ? t("grid.wanders", { low: signed(p.low_ms, 0), high: signed(p.high_ms, 0) })
        : Math.abs(p.last_ms - p.first_ms) < 5
          ? t(p.first_ms < 0 ? "grid.ahead" : "grid.behind", { ms: Math.abs(Math.round(p.first_ms)) })
          : t("grid.drifts", {
              first: signed(p.first_ms, 0),
              last: signed(p.last_ms, 0),
              from: p.first_bar,
              bar: p.last_bar,
            });
}

/** What could not be told from the sound: metre, first bar, stems without a name, single bars. */
function Doubts({ proposal: p, setMetre, look }: { proposal: Proposed } & Pick<Props, "setMetre" | "look">) {
  const { t } = useTranslation();
  return (
    <>
      {p.metre && (
        <p className="mt-1 flex items-center gap-2 text-brass">
          {t("grid.metreDoubt", { metre: p.metre })}
          <button type="button" className="btn" onClick={() => setMetre(p.metre ?? "4/4")}>
            {t("grid.takeMetre", { metre: p.metre })}
          </button>
        </p>
      )}
      {p.bar_unsure && <p className="mt-1 text-brass">{t("grid.barUnsure")}</p>}
      {p.unnamed > 0 && <p className="mt-1 text-brass">{t("grid.unnamed", { count: p.unnamed })}</p>}
      {p.doubtful.length > 0 && (
        <p className="small mt-1">
          {t("grid.doubtful")}{" "}
          {p.doubtful.slice(0, 12).map((bar) => (
            <button
              key={bar}
              type="button"
              className="underline underline-offset-2"
              onClick={() => look(bar)}
              aria-label={t("grid.lookAt", { bar })}
            >
              {bar}{" "}
            </button>
          ))}
          {p.doubtful.length > 12 && t("grid.andMore", { count: p.doubtful.length - 12 })}
        </p>
      )}
    </>
  );
}

/** A press for each way that mends the grid. */
function Ways({ proposal: p, take }: { proposal: Proposed } & Pick<Props, "take">) {
  const { t } = useTranslation();
  return (
    <>
      {p.ways.includes("both") && (
        <button type="button" className="btn pri" onClick={() => take("both")}>
          {t("grid.takeBoth", { bpm: tempo(p.heard) })}
        </button>
      )}
      {p.ways.includes("follow") && (
        <button type="button" className="btn pri" onClick={() => take("follow")}>
          {t("grid.takeFollow")}
        </button>
      )}
      {p.ways.includes("shift") && (
        <button type="button" className={`btn ${p.ways.length === 1 ? "pri" : ""}`} onClick={() => take("shift")}>
          {t(p.ways.length === 1 ? "grid.takeShiftAlone" : "grid.takeShift", { ms: signed(p.first_ms, 0) })}
        </button>
      )}
    </>
  );
}

function Box({ children, bad, good }: { children: React.ReactNode; bad?: boolean; good?: boolean }) {
  const edge = bad ? "border-l-clay bg-claybg" : good ? "border-l-pine bg-sheet" : "border-l-brassline bg-brassbg";
  return (
    <div className={`flex flex-wrap items-center gap-3 border border-l-4 border-line px-4 py-3 ${edge}`}>
      {children}
    </div>
  );
}
