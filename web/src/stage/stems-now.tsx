import { useTranslation } from "react-i18next";

import type { EntryTold, Player } from "@/api/types";
import { signed } from "@/lib/format";

import type { Playing } from "./engine-state";

interface Props {
  entry: EntryTold;
  state: Playing;
  away: string[];
  players: Player[];
}

/** Which stems sound in this section, and in words why the others do not. */
export function StemsNow({ entry, state, away, players }: Props) {
  const { t } = useTranslation();
  const tacet = entry.steps[state.position.step]?.tacet ?? [];
  if (!entry.stems.length) return <p className="text-soft">{t("stage.clickAlone")}</p>;
  return (
    <ul aria-label={t("stage.stems")} className="grid grid-cols-[repeat(auto-fill,minmax(118px,1fr))] gap-2">
      {entry.stems.map((stem) => {
        const player = players.find((p) => p.id === stem.covers)?.name ?? "";
        const sounds = state.fallback ? stem.purpose === "full_mix" : stem.sounds && !tacet.includes(stem.id);
        const why =
          state.fallback || sounds
            ? signed(stem.gain_db)
            : stem.purpose === "full_mix"
              ? t("stage.inReserve")
              : tacet.includes(stem.id)
                ? t("stage.tacet")
                : stem.purpose === "covers" && stem.covers && !away.includes(stem.covers)
                  ? t("stage.playerPlays", { name: player })
                  : t("stage.muted");
        return (
          <li
            key={stem.id}
            className={`flex min-w-0 items-baseline justify-between gap-2 border px-2 py-[6px] ${sounds ? "border-line" : "border-dashed border-line text-soft"}`}
          >
            <b className="truncate font-semibold [font-stretch:85%]">{stem.name}</b>
            <span className="whitespace-nowrap text-[11.5px] text-soft">{why}</span>
          </li>
        );
      })}
    </ul>
  );
}
