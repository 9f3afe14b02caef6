import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { EntryShown, Player } from "@/api/types";
import { signed } from "@/lib/format";

import type { Playing } from "./engine-state";
import { HeldButton } from "./stage-button";

interface Props {
  entry: EntryShown;
  state: Playing;
  players: Player[];
  press: Press;
}

/**
 * What the engine says every stem does in this section: its level, or in words why it is silent.
 *
 * One that covers a player is held to say that they are away tonight, or on again.
 */
export function StemsNow({ entry, state, players, press }: Props) {
  const { t } = useTranslation();
  if (!entry.stems.length) return <p className="text-soft">{t("stage.clickAlone")}</p>;
  const now = new Map(state.stems.map((s) => [s.id, s]));
  return (
    <ul aria-label={t("stage.stems")} className="grid grid-cols-[repeat(auto-fill,minmax(88px,1fr))] gap-[6px]">
      {entry.stems.map((stem) => {
        const { standing, level_db } = now.get(stem.id) ?? { standing: "muted", level_db: 0 };
        const sounds = standing === "sounds";
        const player = players.find((p) => p.id === stem.covers);
        const name = player?.name ?? "";
        const away = player && state.away.includes(player.id);
        const cell = (
          <>
            <b className="min-w-0 font-semibold break-words [font-stretch:85%]">{stem.name}</b>
            <span className="text-[11.5px] text-soft">
              {sounds ? signed(level_db) : t(`stage.standing.${standing}`, { name })}
            </span>
          </>
        );
        return (
          <li
            key={stem.id}
            data-standing={standing}
            className={`border ${sounds ? "border-line" : "border-dashed border-line text-soft"}`}
          >
            {player ? (
              <HeldButton
                className="min-h-[56px] w-full min-w-0 px-2 py-[6px] text-left"
                title={t(away ? "stage.playerBack" : "stage.playerAway", { name })}
                onPress={() => press("player", { player: player.id, on: away === true })}
              >
                <span className="flex flex-wrap items-baseline justify-between gap-x-2">{cell}</span>
              </HeldButton>
            ) : (
              <div className="flex min-w-0 flex-wrap items-baseline justify-between gap-x-2 px-2 py-[6px]">{cell}</div>
            )}
          </li>
        );
      })}
    </ul>
  );
}
