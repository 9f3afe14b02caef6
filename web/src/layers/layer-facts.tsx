import { Trash2 } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Edit, EditArgs } from "@/api/edits";
import type { Stem } from "@/api/types";
import { RANGES } from "@/generated/core";
import { signed } from "@/lib/format";
import { Tick } from "@/ui/form";
import { Typed } from "@/ui/typed";

import { KindChoice } from "./kind-choice";

const PACES = [0.5, 1, 2] as const;

/** What a layer of the song is, and how it follows: to be changed, and taken out. */
export function LayerFacts({ stem, edit }: { stem: Stem; edit: Edit }) {
  const { t } = useTranslation();
  if (!stem.layer) return null;
  const set: Set = (change) => edit("set_layer", { stem: stem.id, ...change });
  return (
    <section aria-label={t("layers.of", { name: stem.name })} className="flex flex-col gap-2">
      <h2>{t("layers.one")}</h2>
      {stem.layer.kind !== "held" && <Bars layer={stem.layer} set={set} />}
      <Following layer={stem.layer} set={set} />
      <Tick
        label={t("layers.waitsForHands")}
        checked={stem.muted ?? false}
        onChange={(muted) => void edit("set_stem", { stem: stem.id, muted })}
      />
      <button type="button" className="btn self-start" onClick={() => void edit("remove_stem", { stem: stem.id })}>
        <Trash2 size={13} aria-hidden />
        {t("layers.remove")}
      </button>
    </section>
  );
}

type Set = (change: Omit<EditArgs<"set_layer">, "stem">) => Promise<boolean>;
type PartProps = { layer: NonNullable<Stem["layer"]>; set: Set };

function Bars({ layer, set }: PartProps) {
  const { t } = useTranslation();
  return (
    <div className="flex items-center gap-1.5">
      <Typed
        className="w-[42px]"
        inputMode="numeric"
        aria-label={t("layers.bars")}
        value={String(layer.bars)}
        onDone={(bars) => set({ bars: Number(bars) })}
      />
      <span className="small">{t("layers.barsOf", { count: layer.bars })}</span>
      <Typed
        className="w-[54px]"
        aria-label={t("layers.meter")}
        value={layer.meter}
        onDone={(meter) => set({ meter })}
      />
      <span className="small">{t("layers.atTempo", { bpm: Math.round(Number(layer.bpm)) })}</span>
    </div>
  );
}

/** How it follows the song's tempo and key. */
function Following({ layer, set }: PartProps) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap gap-1.5">
      <KindChoice label={t("layers.kind")} kind={layer.kind} set={(kind) => void set({ kind })} />
      {layer.kind !== "held" && (
        <select
          className="field"
          aria-label={t("layers.pace")}
          value={layer.pace}
          onChange={(e) => void set({ pace: Number(e.target.value) })}
        >
          {PACES.map((pace) => (
            <option key={pace} value={pace}>
              {t(`layers.pace_${pace === 0.5 ? "half" : pace === 2 ? "double" : "written"}`)}
            </option>
          ))}
        </select>
      )}
      {layer.kind !== "struck" && <Semitones semitones={layer.semitones} set={(n) => void set({ semitones: n })} />}
    </div>
  );
}

function Semitones({ semitones, set }: { semitones: number; set: (n: number) => void }) {
  const { t } = useTranslation();
  const { min, max } = RANGES.LAYER_SEMITONES;
  return (
    <select
      className="field"
      aria-label={t("layers.moved")}
      value={semitones}
      onChange={(e) => set(Number(e.target.value))}
    >
      {Array.from({ length: max - min + 1 }, (_, i) => min + i).map((n) => (
        <option key={n} value={n}>
          {n ? t("layers.semitones", { count: Math.abs(n), signed: signed(n, 0, true) }) : t("layers.itsKey")}
        </option>
      ))}
    </select>
  );
}
