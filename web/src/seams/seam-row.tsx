import type { TFunction } from "i18next";
import { Play } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Seam, Song } from "@/api/types";
import { signed } from "@/lib/format";
import type { Edit } from "@/api/edits";
import { RehearsalMark } from "@/ui/mark";

import { type SeamWish, Verdict } from "./seams-view";

type Mend = Seam["mends"][number];

interface SeamRowProps {
  song: Song;
  seam: Seam;
  edit: Edit;
  hear: (seam: SeamWish) => void;
}

export function SeamRow({ song, seam, edit, hear }: SeamRowProps) {
  const { t } = useTranslation();
  const [old, next] = [seam.old, seam.new].map((id) => song.sections.find((s) => s.id === id));
  if (!old || !next) return null;
  const join = { old: seam.old, new: seam.new };
  return (
    <li className="grid grid-cols-[minmax(220px,300px)_minmax(0,1fr)_auto] items-center gap-x-4 gap-y-1 border border-line bg-sheet px-3 py-2">
      <span className="flex min-w-0 items-center gap-2">
        <RehearsalMark mark={old.mark} colour={old.colour} />
        <span className="truncate font-[650]">{old.name}</span>→
        <RehearsalMark mark={next.mark} colour={next.colour} />
        <span className="truncate font-[650]">{next.name}</span>
      </span>
      <span className="flex min-w-0 items-center gap-3">
        <Verdict seam={seam} />
        <span>{sentence(seam, t)}</span>
      </span>
      <button
        type="button"
        className="btn"
        onClick={() => hear(join)}
        aria-label={t("seams.hear", { old: old.name, next: next.name })}
      >
        <Play size={13} aria-hidden />
        {t("seams.hearShort")}
      </button>
      {seam.mends.length > 0 && (
        <Mends seam={seam} names={{ old: old.name, next: next.name }} edit={edit} hear={hear} />
      )}
    </li>
  );
}

interface MendsProps {
  seam: Seam;
  names: { old: string; next: string };
  edit: Edit;
  hear: (seam: SeamWish) => void;
}

/** What makes the join less likely to be heard, each heard before it is taken. */
function Mends({ seam, names, edit, hear }: MendsProps) {
  const { t } = useTranslation();
  const join = { old: seam.old, new: seam.new };
  const take = (m: Mend) =>
    void (m.kind === "shift"
      ? edit("set_bar1", { by_ms: m.value })
      : edit("set_facts", m.kind === "crossfade" ? { crossfade_ms: m.value } : { ring_on_s: m.value }));
  return (
    <span className="col-span-3 flex flex-wrap items-center gap-2">
      <span className="small">{t("seams.mends")}</span>
      {seam.mends.map((m) => (
        <span key={m.kind} className="flex">
          <button type="button" className="btn rounded-r-none!" onClick={() => take(m)}>
            {t(`seams.mend.${m.kind}`, { value: m.kind === "shift" ? signed(m.value, 0) : m.value })}
            <span className="small">{t("seams.then", { percent: Math.round(m.likely * 100) })}</span>
          </button>
          {m.kind !== "shift" && (
            <button
              type="button"
              className="btn -ml-px rounded-l-none! px-2!"
              aria-label={t("seams.hearMend", names)}
              onClick={() =>
                hear({ ...join, ...(m.kind === "crossfade" ? { crossfade_ms: m.value } : { ring_on_s: m.value }) })
              }
            >
              <Play size={13} aria-hidden />
            </button>
          )}
        </span>
      ))}
    </span>
  );
}

function sentence(seam: Seam, t: TFunction): string {
  if (seam.verdict === "not") return t("seams.why.nothing");
  switch (seam.reason) {
    case "cut":
      if (seam.stem) return t("seams.why.cutOf", { stem: seam.stem });
      return t("seams.why.cut");
    case "early":
      return t("seams.why.early", { ms: Math.round(seam.early_ms) });
    case "level":
      return t("seams.why.level", { db: seam.level_db.toFixed(1) });
    default:
      return t("seams.why.colour", { db: seam.colour_db.toFixed(1) });
  }
}
