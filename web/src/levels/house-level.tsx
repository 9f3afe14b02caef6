import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useLevel } from "@/api/queries";
import type { Level, Song } from "@/api/types";
import { figure, signed, typed } from "@/lib/format";
import type { ChosenLineUp } from "@/people/line-up";
import type { Edit } from "@/api/edits";
import { Beside } from "@/ui/form";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";
import { Trouble } from "@/ui/states";

import { Curve } from "./curve";

const KEPT = "loudness-target";

interface HouseLevelProps {
  song: Song;
  form: string;
  edit: Edit;
  lineUp: ChosenLineUp;
}

/** How loud the song is where the audience hears it, and what brings it to the target. */
export function HouseLevel({ song, form, edit, lineUp }: HouseLevelProps) {
  const { t } = useTranslation();
  const { level, target, setTarget, refused } = useTarget(song, form, lineUp);
  const set = (gain_db: number) => edit("set_level", { gain_db, ...(lineUp.id && { line_up: lineUp.id }) });
  const data = level.data;
  return (
    <section aria-label={t("levels.house")} className="flex flex-col gap-2">
      <div className="flex flex-wrap items-end gap-x-5 gap-y-1">
        <Figures level={data} />
        <Beside label={t("levels.target")}>
          <Typed
            className="w-[58px]"
            inputMode="decimal"
            value={signed(Number(target), 1)}
            onDone={(text) => setTarget(typed(text))}
          />{" "}
          LUFS
        </Beside>
        <Beside label={t(lineUp.id ? "levels.wholeWith" : "levels.whole", { lineUp: lineUp.name })}>
          <Typed
            className="w-[64px]"
            inputMode="decimal"
            value={signed(data?.gain_db ?? song.gain_db ?? 0, 2, true)}
            onDone={(text) => set(figure(text))}
          />{" "}
          dB
        </Beside>
      </div>
      {data && <Proposed level={data} take={(gain_db) => void set(gain_db)} />}{" "}
      {data?.message && <p className="text-clay">{data.message}</p>}
      {level.error && !refused && <Trouble error={level.error} again={() => void level.refetch()} />}
      {data && data.short_term.length > 0 && <Curve song={song} level={data} form={form} />}
    </section>
  );
}

/** The target with the figures for it; one that cannot be is said, and the one before stays. */
function useTarget(song: Song, form: string, lineUp: ChosenLineUp) {
  const [target, setTarget] = useState(() => localStorage.getItem(KEPT) ?? "-18");
  const { complain } = useNotices();
  const good = useRef(target);
  const level = useLevel(song, form, lineUp.id, target);
  const refused = level.error && target !== good.current ? level.error : null;
  useEffect(() => {
    if (refused) {
      complain(refused);
      setTarget(good.current);
    }
  }, [refused, complain]);
  useEffect(() => {
    if (!level.isSuccess || level.isPlaceholderData) return;
    good.current = target;
    localStorage.setItem(KEPT, target);
  }, [level.isSuccess, level.isPlaceholderData, target]);
  return { level, target, setTarget, refused };
}

/** How loud the song is, and its peak. */
function Figures({ level: data }: { level: Level | undefined }) {
  const { t } = useTranslation();
  return (
    <>
      <div>
        <h2>{t("levels.house")}</h2>
        <p className="text-[26px] font-[650] leading-none [font-stretch:80%]">
          {data?.lufs != null
            ? t("levels.lufs", { level: signed(data.lufs) })
            : data?.state === "working"
              ? t("levels.measuring")
              : "–"}
        </p>
      </div>
      {data?.peak_dbtp != null && (
        <p className={data.peak_dbtp > -1 ? "font-[650] text-clay" : "text-soft"}>
          {t("levels.peak", { peak: signed(data.peak_dbtp) })}
          {data.peak_dbtp > -1 && ` · ${t("levels.tooHigh")}`}
        </p>
      )}
    </>
  );
}

/** How far the song is from the target, and the press that brings it there. */
function Proposed({ level: data, take }: { level: Level; take: (gain_db: number) => void }) {
  const { t } = useTranslation();
  const p = data.proposal;
  if (!p) return null;
  const off = p.gain_db - data.gain_db;
  return (
    <p className="flex flex-wrap items-center gap-3 border-l-4 border-brassline bg-brassbg px-3 py-2">
      <span>
        {Math.abs(off) < 0.05
          ? t("levels.there")
          : t(off > 0 ? "levels.tooSoft" : "levels.tooLoud", {
              by: signed(Math.abs((data.target ?? 0) - (data.lufs ?? 0))),
              after: signed(p.lufs ?? 0),
              peak: signed(p.peak_dbtp ?? 0),
            })}
        {p.short_db > 0.05 && ` ${t("levels.short", { by: signed(p.short_db) })}`}
      </span>
      {Math.abs(off) >= 0.05 && (
        <button type="button" className="btn pri" onClick={() => take(p.gain_db)}>
          {t("levels.take", { gain: signed(off, 1, true) })}
        </button>
      )}
    </p>
  );
}
