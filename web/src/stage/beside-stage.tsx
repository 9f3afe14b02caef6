import { type ReactNode, useEffect } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { Described } from "@/api/types";
import { clock } from "@/lib/format";
import { Logo } from "@/ui/mark";
import { Waiting } from "@/ui/states";

import { isPlaying, type Playing } from "./engine-state";
import { NoShow } from "./no-show";
import { useStage } from "./use-stage";

export interface Beside {
  show: Described;
  state: Playing;
  stage: ReturnType<typeof useStage>;
}

interface Props {
  port: number;
  title: string;
  children: (beside: Beside) => ReactNode;
}

/** A page of the loaded show beside the stage itself, as narrow as a phone. */
export function BesideStage({ port, title, children }: Props) {
  const { t } = useTranslation();
  const stage = useStage(port);
  const { state, show } = stage;
  const since = stage.lost ?? stage.silent;
  useEffect(() => {
    document.body.classList.add("stage");
    return () => document.body.classList.remove("stage");
  }, []);
  return (
    <div className="stage flex h-full flex-col bg-paper text-ink">
      <header className="flex min-h-[48px] flex-none items-center gap-3 border-b border-line px-4">
        <Link to="/stage" className="flex min-h-[44px] items-center gap-2 font-[650]" aria-label={t("places.stage")}>
          <Logo />
        </Link>
        <h1 className="text-[17px]!">{title}</h1>
        <span className="min-w-0 grow truncate text-right text-soft">{isPlaying(state) ? state.show_title : ""}</span>
      </header>
      {since && (
        <p role="alert" className="bg-clay px-4 py-2 font-[650] text-paper">
          {t(stage.lost ? "stage.lostSince" : "stage.silentSince", { time: clock(since) })}
        </p>
      )}
      {isPlaying(state) && show ? (
        <main inert={since !== null} className={`min-h-0 flex-1 overflow-auto ${since ? "opacity-25" : ""}`}>
          {children({ show, state, stage })}
        </main>
      ) : state === null || isPlaying(state) ? (
        <Waiting />
      ) : (
        <NoShow status={stage.lost ? "lost" : state.status} />
      )}
    </div>
  );
}
