import { useTranslation } from "react-i18next";

import type { EntryShown, Player } from "@/api/types";
import { signed } from "@/lib/format";

import type { Playing } from "./engine-state";

interface Props {
  entry: EntryShown;
  state: Playing;
  players: Player[];
}

/** What the engine says every stem does in this section: its level, or in words why it is silent. */
export function StemsNow({ entry, state, players }: Props) {
  const { t } = useTranslation();
  if (!entry.stems.length) return <p className="text-soft">{t("stage.clickAlone")}</p>;
  const now = new Map(state.stems.map((s) => [s.id, s]));
  return (
    <ul aria-label={t("stage.stems")} className="grid grid-cols-[repeat(auto-fill,minmax(118px,1fr))] gap-2">
      {entry.stems.map((stem) => {
        const { standing, level_db } = now.get(stem.id) ?? { standing: "muted", level_db: 0 };
        const sounds = standing === "sounds";
        const name = players.find((p) => p.id === stem.covers)?.name ?? "";
        return (
          <li
            key={stem.id}
            data-standing={standing}
            className={`flex min-w-0 flex-wrap items-baseline justify-between gap-x-2 border px-2 py-[6px] ${sounds ? "border-line" : "border-dashed border-line text-soft"}`}
          >
            <b className="min-w-0 font-semibold break-words [font-stretch:85%]">{stem.name}</b>
            <span className="text-[11.5px] text-soft">
              {sounds ? signed(level_db) : t(`stage.standing.${standing}`, { name })}
            </span>
          </li>
        );
      })}
    </ul>
  );
}
