import { type ReactNode, useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import { usePlayers } from "@/api/queries";
import type { Described, EntryShown, Player } from "@/api/types";
import { clock } from "@/lib/format";
import { Logo } from "@/ui/mark";
import { Waiting } from "@/ui/states";

import type { Action } from "./actions";
import { BarStrip } from "./bar-strip";
import { tonights } from "./endings";
import { EngineFacts } from "./engine-facts";
import { followingOf, isMoving, isPlaying, type Playing, type When } from "./engine-state";
import { KeySheet } from "./key-sheet";
import { LoadWord } from "./load-word";
import { NextUp } from "./next-up";
import { NoShow } from "./no-show";
import { Here, Now } from "./now";
import { PartsView } from "./parts/parts-view";
import { Road } from "./road";
import { SectionSaid } from "./section-said";
import { StageButton } from "./stage-button";
import { StageMenu } from "./stage-menu";
import { StageOrder } from "./stage-order";
import { StageSide } from "./stage-side";
import { StemsNow } from "./stems-now";
import { Transport } from "./transport";
import { useStage } from "./use-stage";
import { useStageKeys } from "./use-stage-keys";
import { WhenChoice } from "./when-choice";

export function StagePage({ band, port }: { band: string; port: number }) {
  const { t } = useTranslation();
  const stage = useStage(port);
  const { state } = stage;
  // The lamp also lights what Radix hangs below the body.
  useEffect(() => {
    document.body.classList.add("stage");
    return () => document.body.classList.remove("stage");
  }, []);
  return (
    <div className="stage flex h-full flex-col bg-paper text-ink">
      <header className="flex h-[42px] flex-none items-center gap-4 border-b border-line px-4 text-soft">
        <Link
          to="/songs"
          className="flex items-center gap-2 text-[16px] font-[750] text-ink [font-stretch:82%]"
          aria-label={t("stage.leave")}
        >
          <Logo />
          {t("app.name")}
        </Link>
        <h1 className="text-[13px]! font-normal! tracking-normal! [font-stretch:100%]!">
          {isPlaying(state) ? `${band} · ${state.show_title}` : band}
        </h1>
        <span className="grow" />
        {isPlaying(state) && !stage.lost && (
          <>
            <EngineFacts state={state} />
            {state.load && <LoadWord load={state.load} />}
          </>
        )}
        <Clock left={isPlaying(state) && !stage.lost ? state.left_s : null} />
        <StageMenu loaded={isPlaying(state) && !isMoving(state) && !stage.lost} />
      </header>
      {stage.lost && isPlaying(state) ? (
        <AsItWas since={stage.lost}>
          <Running state={state} stage={stage} />
        </AsItWas>
      ) : stage.lost ? (
        <NoShow status="lost" />
      ) : state === null ? (
        <Waiting />
      ) : isPlaying(state) ? (
        <Running state={state} stage={stage} />
      ) : (
        <NoShow status={state.status} />
      )}
    </div>
  );
}

/** What was shown when contact was lost, greyed and out of reach, under a line that says so. */
function AsItWas({ since, children }: { since: Date; children: ReactNode }) {
  const { t } = useTranslation();
  return (
    <>
      <p
        role="alert"
        className="absolute inset-x-0 top-[42px] z-10 bg-clay px-4 py-3 text-[19px] font-[650] text-paper"
      >
        {t("stage.lostSince", { time: clock(since) })}
      </p>
      <div inert className="flex min-h-0 flex-1 flex-col opacity-25 grayscale">
        {children}
      </div>
    </>
  );
}

/** The time of day, and when the show will be over if every go comes at once. */
function Clock({ left }: { left: number | null }) {
  const { t } = useTranslation();
  const [now, setNow] = useState(() => new Date());
  useEffect(() => {
    const timer = setInterval(() => setNow(new Date()), 500);
    return () => clearInterval(timer);
  }, []);
  const ends = left ? clock(new Date(now.getTime() + 1000 * left)).slice(0, 5) : null;
  return (
    <>
      <time className="text-[17px] font-[650] text-ink">{clock(now)}</time>
      {ends && <span>{t("stage.endsAbout", { time: ends })}</span>}
    </>
  );
}

const WITH_ORDER = "grid-cols-[218px_minmax(0,1fr)_248px]";
const WITHOUT_ORDER = "grid-cols-[minmax(0,1fr)_300px]";

function Running({ state, stage }: { state: Playing; stage: ReturnType<typeof useStage> }) {
  const [when, setWhen] = useState<When>("section_end");
  const { show } = stage;
  const [sheet, setSheet] = useState(false);
  const [words, setWords] = useState(false);
  const [parts, setParts] = useState(false);
  const toggleParts = () => setParts((shown) => !shown);
  const toggleWords = () => setWords((shown) => !shown);
  const index = isMoving(state) || state.status === "stopped" ? state.position.entry : state.entry;
  const prepared = show?.entries[index];
  const entry = prepared && tonights(prepared, index, state);
  const { held } = useStageKeys({
    state,
    entry,
    when,
    press: stage.press,
    off: stage.lost !== null,
    page: { "?": () => setSheet(true), w: toggleWords, p: toggleParts },
  });
  if (!show || !entry) return <Waiting />;
  return (
    <main className={`grid min-h-0 flex-1 ${parts ? WITHOUT_ORDER : WITH_ORDER}`}>
      {!parts && <StageOrder entries={show.entries} state={state} press={stage.press} />}
      <Middle
        show={show}
        entry={entry}
        state={state}
        stage={stage}
        held={held}
        when={when}
        setWhen={setWhen}
        words={words}
        toggleWords={toggleWords}
        parts={parts}
        toggleParts={toggleParts}
      />
      <StageSide
        show={show}
        entry={entry}
        state={state}
        press={stage.press}
        held={held}
        listening={stage.listening}
        listen={stage.listen}
        parts={parts}
      />
      {sheet && <KeySheet onClose={() => setSheet(false)} />}
    </main>
  );
}

interface MiddleProps {
  show: Described;
  entry: EntryShown;
  state: Playing;
  stage: ReturnType<typeof useStage>;
  held: Action | null;
  when: When;
  setWhen: (when: When) => void;
  words: boolean;
  toggleWords: () => void;
  parts: boolean;
  toggleParts: () => void;
}

/** Where we are, what comes, the form or the parts, and the hands. */
function Middle(props: MiddleProps) {
  const { show, entry, state, stage, held, when, parts, toggleParts } = props;
  const players = usePlayers();
  const { t } = useTranslation();
  return (
    <div className="flex min-h-0 min-w-0 flex-col px-[18px] pb-[10px]">
      <div className="flex min-h-0 flex-1 flex-col gap-[9px] overflow-auto pt-[10px] pb-1 *:flex-none">
        {parts ? <Here entry={entry} state={state} /> : <Now entry={entry} state={state} />}
        <div className="grid grid-cols-[minmax(0,1fr)_auto] gap-2">
          <NextUp
            entry={entry}
            entries={show.entries}
            state={state}
            said={stage.said}
            when={when}
            press={stage.press}
          />
          <StageButton className="btn min-h-[56px]! flex-col! gap-0! px-3!" pressed={parts} onPress={toggleParts}>
            {t(parts ? "stage.parts.close" : "stage.parts.open")}
            <small>P</small>
          </StageButton>
        </div>
        {parts ? (
          <PartsView
            show={show}
            entry={entry}
            state={state}
            players={players.data ?? []}
            press={stage.press}
            listening={stage.listening}
            listen={(feed) => void stage.listen(feed)}
          />
        ) : (
          <Form {...props} players={players.data ?? []} />
        )}
      </div>
      <Transport
        state={state}
        entry={entry}
        following={followingOf(show.entries, state)}
        when={when}
        press={stage.press}
        held={held}
      />
    </div>
  );
}

/** The form, the bars that are near, and what every stem does. */
function Form({
  entry,
  state,
  stage,
  when,
  setWhen,
  words,
  toggleWords,
  players,
}: MiddleProps & { players: Player[] }) {
  const { t } = useTranslation();
  return (
    <>
      <Road entry={entry} state={state} tap={(step) => stage.press("go_to", { step, when })} />
      <div className="grid grid-cols-[minmax(0,1fr)_64px] gap-2">
        <BarStrip entry={entry} state={state} />
        <StageButton
          className="btn col-start-2 min-h-[56px]! flex-col! gap-0! px-1!"
          pressed={words}
          onPress={toggleWords}
        >
          {t("stage.words")}
          <small>W</small>
        </StageButton>
      </div>
      {words ? (
        <SectionSaid step={entry.steps[state.position.step]} />
      ) : (
        <StemsNow entry={entry} state={state} players={players} press={stage.press} />
      )}
      <WhenChoice when={when} setWhen={setWhen} state={state} />
    </>
  );
}
