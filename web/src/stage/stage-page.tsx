import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import { clock } from "@/lib/format";
import { Logo } from "@/ui/mark";
import { Waiting } from "@/ui/states";

import { ChangesButton } from "./changes";
import { DevicesWord } from "./devices-word";
import { EngineFacts } from "./engine-facts";
import { isMoving, isPlaying, type Playing } from "./engine-state";
import { LoadWord } from "./load-word";
import { NoShow } from "./no-show";
import { PhonesDialog } from "./phones-dialog";
import { Remote } from "./remote";
import { Running } from "./running";
import { StageMenu } from "./stage-menu";
import { useLight } from "./use-light";
import { useNarrow } from "./use-narrow";
import { useStage } from "./use-stage";

interface PageProps {
  band: string;
  port: number;
}

/** The stage; on a phone, for one hand. */
export const StagePage = ({ band, port }: PageProps) =>
  useNarrow() ? <Remote port={port} /> : <WideStage band={band} port={port} />;

function WideStage({ band, port }: PageProps) {
  const stage = useStage(port);
  const { state } = stage;
  const { t } = useTranslation();
  const since = stage.lost ?? stage.silent;
  const [light, setLight] = useLight();
  // The lamp also lights what Radix hangs below the body.
  useEffect(() => {
    document.body.classList.add("stage");
    return () => document.body.classList.remove("stage");
  }, []);
  return (
    <div
      className="stage flex h-full flex-col bg-paper text-ink"
      style={{ filter: light < 1 ? `brightness(${light})` : undefined }}
    >
      <Head
        band={band}
        stage={stage}
        said={
          isPlaying(state) && since
            ? t(stage.lost ? "stage.lostSince" : "stage.silentSince", { time: clock(since) })
            : null
        }
        light={light}
        setLight={setLight}
      />
      {isPlaying(state) && state.tonight.rehearsal && <RehearsalBanner />}
      {isPlaying(state) ? (
        // The same page greyed: a view that was open is open when contact is back.
        <div inert={since !== null} className={`flex min-h-0 flex-1 flex-col ${since ? "opacity-25 grayscale" : ""}`}>
          <Running state={state} stage={stage} />
        </div>
      ) : stage.lost ? (
        <NoShow status="lost" />
      ) : state === null ? (
        <Waiting />
      ) : (
        <NoShow status={state.status} />
      )}
    </div>
  );
}

interface HeadProps {
  band: string;
  stage: ReturnType<typeof useStage>;
  /** That contact was lost, or the engine fell silent: what is below is greyed, and as it was then. */
  said: string | null;
  light: number;
  setLight: (light: number) => void;
}

/** Whose show it is, how the engine is, the clock. */
function Head({ band, stage, said, light, setLight }: HeadProps) {
  const { t } = useTranslation();
  const { state, joining } = stage;
  const [phones, setPhones] = useState(false);
  const now = isPlaying(state) && !stage.lost && !stage.silent ? state : null;
  const title = isPlaying(state) ? `${band} · ${state.show_title}` : band;
  return (
    <header className="flex h-[42px] flex-none items-center gap-4 border-b border-line px-4 whitespace-nowrap text-soft">
      <Link
        to="/songs"
        className="flex items-center gap-2 text-[16px] font-[750] text-ink [font-stretch:82%]"
        aria-label={t("stage.leave")}
      >
        <Logo />
        {t("app.name")}
      </Link>
      <Title of={title} said={said} />
      {now && (
        <>
          <ChangesButton show={stage.show} state={now} />
          <EngineFacts state={now} />
          {stage.devices.length > 0 && (
            <DevicesWord devices={stage.devices} show={stage.show} state={now} press={stage.press} />
          )}
          {now.load && <LoadWord load={now.load} />}
        </>
      )}
      <Clock state={now} />
      {joining && phones && state && (
        <PhonesDialog
          joining={joining}
          last={isPlaying(state) ? state.last_press : null}
          ask={stage.askIn}
          onClose={() => setPhones(false)}
        />
      )}
      <StageMenu
        phones={joining ? () => setPhones(true) : undefined}
        loaded={now !== null && !isMoving(now)}
        rehearsal={isPlaying(state) && state.tonight.rehearsal}
        rehearse={(on) => stage.press("rehearse", { on })}
        light={light}
        setLight={setLight}
      />
    </header>
  );
}

/** Whose show it is; or, in its place, that what is below is as it was. */
function Title({ of, said }: { of: string; said: string | null }) {
  const seen = "min-w-0 grow truncate text-[13px]! font-normal! tracking-normal! [font-stretch:100%]!";
  return (
    <>
      <h1 className={said ? "sr-only" : seen} title={of}>
        {of}
      </h1>
      {said && (
        <p
          role="alert"
          className="flex h-full min-w-0 grow items-center bg-clay px-3 text-[15px] leading-tight font-[650] whitespace-normal text-paper"
        >
          {said}
        </p>
      )}
    </>
  );
}

/** A rehearsal looks like none of the shows. */
function RehearsalBanner() {
  const { t } = useTranslation();
  return (
    <p className="flex-none bg-[repeating-linear-gradient(135deg,var(--slate)_0_18px,var(--paper)_18px_24px)] py-[5px] text-center">
      <b className="bg-paper px-3 py-[2px] text-[16px] text-slate">{t("stage.rehearsal.banner")}</b>
    </p>
  );
}

/** The time of day, and when the show will be over if every go comes at once. */
function Clock({ state }: { state: Playing | null }) {
  const { t } = useTranslation();
  const [now, setNow] = useState(() => new Date());
  useEffect(() => {
    const timer = setInterval(() => setNow(new Date()), 500);
    return () => clearInterval(timer);
  }, []);
  const left = state?.left_s;
  const spare = !state || state.spare_s === null ? null : Math.round(state.spare_s / 60);
  const ends = left ? clock(new Date(now.getTime() + 1000 * left)).slice(0, 5) : null;
  return (
    <>
      <time className="text-[17px] font-[650] text-ink">{clock(now)}</time>
      {ends && <span>{t("stage.endsAbout", { time: ends })}</span>}
      {spare !== null && (
        <span className={spare < 0 ? "font-semibold text-brass" : ""}>
          {t(spare < 0 ? "stage.overSlot" : "stage.inSlot", { count: Math.abs(spare) })}
        </span>
      )}
    </>
  );
}
