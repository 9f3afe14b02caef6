import { Minus, Plus } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { BandShow, BandState } from "@/api/types";
import { STEP_BY_HAND_DB } from "@/generated/core";
import { signed } from "@/lib/format";
import { StageButton } from "@/stage/stage-button";

import type { BandLine } from "./band-line";

interface Props {
  show: BandShow;
  state: BandState;
  player: string;
  press: BandLine["press"] | undefined;
}

/** The own mix: louder and softer, in large steps that cannot be slipped. */
export function Mix({ show, state, player, press }: Props) {
  const { t } = useTranslation();
  const own = show.mixes.filter((m) => m.player === player);
  if (own.length === 0) return <p className="text-soft">{t("band.noMix")}</p>;
  return (
    <>
      {own.map(({ feed, name }) => {
        const part = `feed:${feed}`;
        const db = state.mix[part] ?? 0;
        const by = (change: number) => press?.("level", { part, by: change });
        return (
          <section key={feed} aria-label={name} className="flex items-center gap-3 border border-line p-2">
            <b className="min-w-0 grow text-[20px]">{name}</b>
            <StageButton
              className="btn min-h-[64px]! min-w-[72px]!"
              label={t("band.softer", { name })}
              onPress={() => by(-STEP_BY_HAND_DB)}
            >
              <Minus size={26} aria-hidden />
            </StageButton>
            <span className="min-w-[70px] text-center text-[20px] font-[650]">
              {t("band.db", { db: signed(db, 1, true) })}
            </span>
            <StageButton
              className="btn min-h-[64px]! min-w-[72px]!"
              label={t("band.louder", { name })}
              onPress={() => by(STEP_BY_HAND_DB)}
            >
              <Plus size={26} aria-hidden />
            </StageButton>
          </section>
        );
      })}
    </>
  );
}
