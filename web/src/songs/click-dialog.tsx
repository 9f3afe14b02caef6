import { useTranslation } from "react-i18next";

import type { Song } from "@/api/types";
import { signed, typed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { Typed } from "@/ui/typed";

import type { Edit } from "./use-edits";

const VOICES = ["accent", "beat", "division", "count_in"] as const;
const DEFAULTS: Record<(typeof VOICES)[number], string> = { accent: "wood", beat: "rim", division: "shaker", count_in: "wood" };

/** Count-in, click sounds and section calls of a song. */
export function ClickDialog({ song, edit, onClose }: { song: Song; edit: Edit; onClose: () => void }) {
  const { t } = useTranslation();
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={t("click.title")}>
      <div className="grid grid-cols-2 gap-3">
        <label className="flex flex-col gap-1">
          <span className="small">{t("click.countInBars")}</span>
          <select className="field" value={song.count_in_bars} onChange={(e) => void edit("set_facts", { count_in_bars: Number(e.target.value) })}>
            {[0, 1, 2, 3, 4].map((n) => (
              <option key={n} value={n}>
                {n === 0 ? t("song.noCountIn") : t("click.bars", { count: n })}
              </option>
            ))}
          </select>
        </label>
        <label className="flex items-center gap-2 self-end pb-1">
          <input type="checkbox" checked={song.count_in_aloud} onChange={(e) => void edit("set_facts", { count_in_aloud: e.target.checked })} />
          {t("click.aloud")}
        </label>
        {VOICES.map((voice) => (
          <label key={voice} className="flex flex-col gap-1">
            <span className="small">{t(`click.${voice}`)}</span>
            <select className="field" value={song.click[voice] ?? DEFAULTS[voice]} onChange={(e) => void edit("set_facts", { click: { [voice]: e.target.value } })}>
              {song.click_sounds.map((sound) => (
                <option key={sound} value={sound}>
                  {t(`click.sounds.${sound as "wood"}`)}
                </option>
              ))}
            </select>
          </label>
        ))}
        <label className="flex flex-col gap-1">
          <span className="small">{t("click.level")}</span>
          <Typed value={signed(song.click.gain_db ?? -6)} inputMode="decimal" onDone={(db) => void edit("set_facts", { click: { gain_db: Number(typed(db)) } })} />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("click.divisions")}</span>
          <select className="field" value={song.click.divisions ?? 1} onChange={(e) => void edit("set_facts", { click: { divisions: Number(e.target.value) } })}>
            {[1, 2, 3, 4].map((n) => (
              <option key={n} value={n}>
                {n === 1 ? t("click.none") : `× ${n}`}
              </option>
            ))}
          </select>
        </label>
      </div>
      <label className="mt-4 flex items-center gap-2">
        <input type="checkbox" checked={song.calls} onChange={(e) => void edit("set_facts", { calls: e.target.checked })} />
        {t("click.calls")}
      </label>
      <label className="mt-3 flex items-center gap-2">
        <span className="small">{t("click.crossfade")}</span>
        <Typed className="w-[70px]" value={String(song.crossfade_ms)} inputMode="decimal" onDone={(ms) => void edit("set_facts", { crossfade_ms: ms.replace(",", ".") })} />
      </label>
      <div className="mt-5 flex justify-end">
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}
