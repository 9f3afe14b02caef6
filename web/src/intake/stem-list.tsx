import type { TFunction } from "i18next";
import { TriangleAlert } from "lucide-react";
import { memo, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Song, Stem, Tonight } from "@/api/types";
import { signed } from "@/lib/format";

import { standingOf } from "@/song/standing";

import { StemDialog } from "./stem-dialog";
import type { Edit } from "@/api/edits";
import { Waveform } from "./waveform";

export function StemList({ song, edit, tonight }: { song: Song; edit: Edit; tonight?: Tonight | undefined }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState<string | null>(null);
  const opened = song.stems.find((s) => s.id === open);
  return (
    <section aria-label={t("stems.title", { count: song.stems.length })}>
      <h2 className="mb-1">{song.stems.length ? t("stems.title", { count: song.stems.length }) : t("stems.none")}</h2>
      <ul>
        {song.stems.map((stem) => (
          <Row
            key={stem.id}
            stem={stem}
            code={worst(stem, song)?.code ?? ""}
            standing={tonight ? standingOf(stem, tonight, t) : ""}
            open={setOpen}
          />
        ))}
      </ul>
      {opened && <StemDialog stem={opened} song={song} edit={edit} onClose={() => setOpen(null)} />}
    </section>
  );
}

interface RowProps {
  stem: Stem;
  code: string;
  standing: string;
  open: (stem: string) => void;
}

/** Re-renders only when the stem itself changes. */
const Row = memo(function Row({ stem, code, standing, open }: RowProps) {
  const { t } = useTranslation();
  return (
    <li className="border-t border-line2">
      <button
        type="button"
        className="grid w-full grid-cols-[minmax(0,1fr)_auto] gap-x-2 py-[6px] text-left hover:bg-line2"
        onClick={() => open(stem.id)}
      >
        <span className={`truncate ${stem.muted && !stem.layer ? "line-through" : ""}`}>
          <span className="sr-only">{t("stems.one")} </span>
          {stem.name}
        </span>
        <span className="small">{standing || (stem.layer ? t("layers.one") : purposeOf(stem, t))}</span>
        <span className="text-[11px] text-soft">{t(`groups.${stem.group as "rhythm"}`)}</span>
        <span className="small">
          {stem.integrated_lufs === null
            ? t("stems.silent")
            : t("stems.lufs", { level: signed(stem.integrated_lufs + stem.gain_db) })}
        </span>
        <Waveform sound={stem.sound} muted={stem.muted} />
        {code && (
          <span className="col-span-2 mt-1 flex items-center gap-1 text-[11.5px] text-brass">
            <TriangleAlert size={12} className="flex-none" aria-hidden />
            {t(`findings.code_${code as "late"}`)}
          </span>
        )}
      </button>
    </li>
  );
});

export function purposeOf(stem: Stem, t: TFunction): string {
  return stem.purpose === "covers"
    ? t("purpose.coversName", { name: stem.covers_name ?? "" })
    : t(`purpose.${stem.purpose as "always"}`);
}

/** The worst open finding of a stem, which the song's page says in full. */
function worst(stem: Stem, song: Song) {
  return song.findings.list.find((f) => f.stem === stem.id && f.state === "open" && f.severity !== "note");
}
