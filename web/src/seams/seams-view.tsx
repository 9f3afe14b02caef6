import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useSeam, useSeams } from "@/api/queries";
import type { Seam, Song } from "@/api/types";
import { figure } from "@/lib/format";
import type { Edit } from "@/api/edits";
import { Trouble, Waiting } from "@/ui/states";
import { Typed } from "@/ui/typed";

import { SeamRow } from "./seam-row";

export interface SeamWish {
  old: string;
  new: string;
  crossfade_ms?: number;
  ring_on_s?: number;
}

interface Props {
  song: Song;
  form: string;
  edit: Edit;
  hear: (seam: SeamWish) => void;
}

/** Every join of a form, the likeliest to be heard first, and the join of any two sections. */
export function SeamsView({ song, form, edit, hear }: Props) {
  const { t } = useTranslation();
  const seams = useSeams(song, form);
  const joins = seams.data?.filter((s) => !s.straight) ?? [];
  const straight = (seams.data?.length ?? 0) - joins.length;
  return (
    <div className="min-h-0 flex-1 overflow-auto px-5 pb-5">
      <Settings song={song} edit={edit} hear={hear} />
      {song.stems.length === 0 ? (
        <p className="py-8 text-center text-soft">{t("seams.noStems")}</p>
      ) : seams.error ? (
        <Trouble error={seams.error} again={() => void seams.refetch()} />
      ) : !seams.data ? (
        <>
          <Waiting />
          <p className="small text-center">{t("seams.listening")}</p>
        </>
      ) : (
        <>
          {joins.length === 0 && <p className="py-6 text-soft">{t("seams.none")}</p>}
          <ol aria-label={t("seams.list")} className="flex flex-col gap-[6px]">
            {joins.map((seam) => (
              <SeamRow key={`${seam.old}-${seam.new}`} song={song} seam={seam} edit={edit} hear={hear} />
            ))}
          </ol>
          {straight > 0 && <p className="small mt-3">{t("seams.straight", { count: straight })}</p>}
        </>
      )}
    </div>
  );
}

/** Any two sections: heard joined, and judged. */
function AnyTwo({ song, hear }: { song: Song; hear: (seam: SeamWish) => void }) {
  const { t } = useTranslation();
  const [old, setOld] = useState(song.sections[0]?.id ?? "");
  const [next, setNext] = useState(song.sections.at(-1)?.id ?? "");
  const seam = useSeam(song, old, next);
  const choose = (label: string, value: string, set: (id: string) => void) => (
    <select className="field w-[150px]!" aria-label={label} value={value} onChange={(e) => set(e.target.value)}>
      {song.sections.map((s) => (
        <option key={s.id} value={s.id}>
          {`${s.mark} ${s.name}`}
        </option>
      ))}
    </select>
  );
  return (
    <div role="group" aria-label={t("seams.anyTwo")} className="flex items-center gap-2">
      <span className="small">{t("seams.anyTwo")}</span>
      {choose(t("seams.from"), old, setOld)}→{choose(t("seams.into"), next, setNext)}
      <button type="button" className="btn" onClick={() => hear({ old, new: next })}>
        {t("seams.hearJoin")}
      </button>
      {seam.data && <Verdict seam={seam.data} />}
    </div>
  );
}

export function Verdict({ seam }: { seam: Seam }) {
  const { t } = useTranslation();
  const how = seam.straight ? "straight" : seam.verdict;
  const look = {
    heard: "bg-claybg! text-clay!",
    may: "bg-brassbg! text-brass!",
    not: "bg-pinebg! text-pine!",
    straight: "",
  }[how];
  return (
    <span className={`tag whitespace-nowrap ${look}`}>
      {t(`seams.verdict.${how}`, { percent: Math.round(seam.likely * 100) })}
    </span>
  );
}

/** How joins of this song are made, and the join of any two sections. */
function Settings({ song, edit, hear }: { song: Song; edit: Edit; hear: Props["hear"] }) {
  const { t } = useTranslation();
  return (
    <div className="mb-3 flex flex-wrap items-center gap-x-5 gap-y-2">
      <label className="flex items-center gap-2">
        <span className="small">{t("seams.crossfade")}</span>
        <Typed
          className="w-[54px]"
          inputMode="decimal"
          value={String(song.crossfade_ms ?? 10)}
          onDone={(ms) => void edit("set_facts", { crossfade_ms: figure(ms) })}
        />{" "}
        ms
      </label>
      <label className="flex items-center gap-2">
        <span className="small">{t("seams.ringOn")}</span>
        <Typed
          className="w-[54px]"
          inputMode="decimal"
          value={String(song.ring_on_s ?? 0)}
          onDone={(s) => void edit("set_facts", { ring_on_s: figure(s) })}
        />{" "}
        s
      </label>
      <AnyTwo song={song} hear={hear} />
    </div>
  );
}
