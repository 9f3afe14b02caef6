import { Play, Plus } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useLoopChanges, useLoops } from "@/api/layers";
import type { ShelfLoop } from "@/api/types";
import { PADS } from "@/generated/core";
import { hearFile } from "@/hear/hear-file";
import { FilePicker } from "@/ui/file-picker";
import { IconButton } from "@/ui/icon-button";
import { useNotices } from "@/ui/notices";

import { OwnLoop } from "./own-loop";

/** Hears the song with a loop or a stack that is not taken yet. */
export type HearHere = (wish: { layer: string } | { stack: string }) => void;

interface Props {
  songKey: string;
  add: (loop: string) => Promise<boolean>;
  hear: HearHere;
}

/** The tones that are in whatever key the song has, by the families of those that have one of their own. */
const TONES = PADS.filter((pad) => pad !== "" && pad !== "song");

/** The loops of a family, each to be heard by itself, under the song, or added. */
export function LoopList({ songKey, add, hear }: Props) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const loops = useLoops();
  const changes = useLoopChanges();
  const [family, setFamily] = useState("shakers");
  const all = loops.data ?? [];
  const families = [...new Set(["own", ...all.map((l) => l.family)])];
  const take = async (files: FileList | null) => {
    for (const file of [...(files ?? [])]) await changes.add.mutateAsync(file).catch(complain);
    setFamily("own");
  };
  return (
    <section aria-label={t("layers.shelf")} className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-1" role="group" aria-label={t("layers.families")}>
        {families.map((f) => (
          <button key={f} type="button" className="btn" aria-pressed={f === family} onClick={() => setFamily(f)}>
            {t(`layers.family_${f as "own"}`)}
          </button>
        ))}
      </div>
      <ul className="max-h-[290px] overflow-auto border-y border-line" aria-label={t("layers.loops")}>
        {family === "pads" && TONES.map((tone) => <ToneInKey key={tone} {...{ tone, songKey, add, hear }} />)}
        {all
          .filter((loop) => loop.family === family)
          .map((loop) => (
            <LoopRow key={loop.code} loop={loop} add={add} hear={hear} />
          ))}
        {family === "own" && !all.some((l) => l.family === "own") && (
          <li className="px-2 py-3 text-soft">{t("layers.noOwn")}</li>
        )}
      </ul>
      <div className="flex items-baseline gap-3">
        <FilePicker label={t("layers.files")} accept="audio/*" onFiles={(files) => void take(files)}>
          {t(changes.add.isPending ? "layers.measuring" : "layers.bring")}
        </FilePicker>
        <p className="small">{t("layers.bringAbout")}</p>
      </div>
    </section>
  );
}

interface RowProps {
  loop: ShelfLoop;
  add: Props["add"];
  hear: HearHere;
}

function LoopRow({ loop, add, hear }: RowProps) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { layer } = loop;
  return (
    <li className="flex flex-wrap items-center gap-2 border-b border-line2 px-1 py-[3px] last:border-b-0">
      <IconButton
        icon={Play}
        label={t("layers.hearAlone", { name: loop.name })}
        onClick={() => void hearFile(`loops/${loop.code}/sound/`).catch(complain)}
      />
      {loop.family === "own" ? (
        <OwnLoop loop={loop} />
      ) : (
        <span className="min-w-0 grow">
          {loop.name}
          {layer.kind !== "held" && (
            <span className="small ml-2">
              {t("layers.facts", { count: layer.bars, meter: layer.meter, bpm: Math.round(Number(layer.bpm)) })}
            </span>
          )}
        </span>
      )}
      <Acts name={loop.name} onHear={() => hear({ layer: loop.code })} onAdd={() => void add(loop.code)} />
    </li>
  );
}

interface ToneProps {
  tone: (typeof TONES)[number];
  songKey: string;
  add: Props["add"];
  hear: HearHere;
}

/** A pad in the key that the song has. */
function ToneInKey({ tone, songKey, add, hear }: ToneProps) {
  const { t } = useTranslation();
  if (!songKey) return null;
  const name = t("layers.inKey", { tone: t(`layers.tone_${tone}`), key: songKey });
  return (
    <li className="flex items-center gap-2 border-b border-line2 px-1 py-[3px]">
      <b className="min-w-0 grow pl-[34px] font-[600]">{name}</b>
      <Acts name={name} onHear={() => hear({ layer: tone })} onAdd={() => void add(tone)} />
    </li>
  );
}

function Acts({ name, onHear, onAdd }: { name: string; onHear: () => void; onAdd: () => void }) {
  const { t } = useTranslation();
  return (
    <span className="flex gap-1">
      <button type="button" className="btn" aria-label={t("layers.hearHereOf", { name })} onClick={onHear}>
        {t("layers.hearHere")}
      </button>
      <button type="button" className="btn" aria-label={t("layers.addOf", { name })} onClick={onAdd}>
        <Plus size={14} aria-hidden />
        {t("layers.add")}
      </button>
    </span>
  );
}
