import { useCallback, useState } from "react";
import { useTranslation } from "react-i18next";

import { usePlayers } from "@/api/queries";
import type { Described, EntryShown, Player } from "@/api/types";
import { Waiting } from "@/ui/states";

import type { Action } from "./actions";
import { BarStrip } from "./bar-strip";
import { tonights } from "./endings";
import { followingOf, isMoving, type Playing, type When } from "./engine-state";
import { KeySheet } from "./key-sheet";
import { LargeNow } from "./large-now";
import { NextUp } from "./next-up";
import { Here, Now } from "./now";
import { KeepLevels } from "./parts/keep-levels";
import { PartsView } from "./parts/parts-view";
import { RehearsalTools } from "./rehearsal-tools";
import { Road } from "./road";
import { SectionSaid } from "./section-said";
import { StageButton } from "./stage-button";
import { StageOrder } from "./stage-order";
import { StageSide } from "./stage-side";
import { StemsNow } from "./stems-now";
import { Transport } from "./transport";
import type { useStage } from "./use-stage";
import { useStageKeys } from "./use-stage-keys";
import { WhenChoice } from "./when-choice";
import { type AskedWhy, WhyNowDialog } from "./why-now";

type View = "form" | "parts" | "large";

const COLUMNS: Record<View, string> = {
  form: "grid-cols-[168px_minmax(0,1fr)_248px] min-[1180px]:grid-cols-[218px_minmax(0,1fr)_248px]",
  parts: "grid-cols-[minmax(0,1fr)_300px]",
  large: "grid-cols-[minmax(0,1fr)]",
};

/** Which view is shown: the same press once more goes back to the form. */
function useView() {
  const [view, setView] = useState<View>("form");
  const toggle = (other: View) => setView((now) => (now === other ? "form" : other));
  return { view, toggleParts: () => toggle("parts"), toggleLarge: () => toggle("large") };
}

/** The stage while a show is loaded: the order, where we are, what the hands can do. */
export function Running({ state, stage }: { state: Playing; stage: ReturnType<typeof useStage> }) {
  const rehearsal = state.tonight.rehearsal;
  const [chosen, setWhen] = useState<When | null>(null);
  const when: When = chosen ?? (rehearsal ? "at_once" : "section_end");
  const { show } = stage;
  const [sheet, setSheet] = useState(false);
  const [words, setWords] = useState(false);
  const { asked, setAsked, whyPart, whySocket } = useWhyAsked();
  const { view, toggleParts, toggleLarge } = useView();
  const toggleWords = () => setWords((shown) => !shown);
  const index = isMoving(state) || state.status === "stopped" ? state.position.entry : state.entry;
  const prepared = show?.entries[index];
  const entry = prepared && tonights(prepared, index, state);
  const { held } = useStageKeys({
    state,
    entry,
    when,
    press: stage.press,
    off: stage.lost !== null || stage.silent !== null,
    hands: { keys: stage.keys.page, machine: stage.keys.machine, key: stage.key },
    page: { "?": () => setSheet(true), w: toggleWords, p: toggleParts, l: toggleLarge, y: () => setAsked({ of: "" }) },
  });
  if (!show || !entry) return <Waiting />;
  const now = { show, entry, state, held };
  const views = { when, setWhen, words, toggleWords, view, toggleParts, toggleLarge };
  return (
    <main className={`grid min-h-0 flex-1 ${COLUMNS[view]}`}>
      {view === "form" && (
        <StageOrder entries={show.entries} intervals={show.intervals} state={state} press={stage.press} />
      )}
      <Middle {...now} {...views} stage={stage} whyPart={whyPart} />
      {view !== "large" && (
        <StageSide
          {...now}
          press={stage.press}
          listening={stage.listening}
          listen={stage.listen}
          parts={view === "parts"}
          why={whySocket}
        />
      )}
      {asked && (
        <WhyNowDialog {...{ show, entry, state }} press={stage.press} first={asked} onClose={() => setAsked(null)} />
      )}
      {sheet && <KeySheet onClose={() => setSheet(false)} />}
    </main>
  );
}

/** What is asked about: why it is heard, or not. */
function useWhyAsked() {
  const [asked, setAsked] = useState<AskedWhy | null>(null);
  const whyPart = useCallback((of: string) => setAsked({ of }), []);
  const whySocket = useCallback((socket: number) => setAsked({ of: "", socket }), []);
  return { asked, setAsked, whyPart, whySocket };
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
  view: View;
  toggleParts: () => void;
  toggleLarge: () => void;
  whyPart: (part: string) => void;
}

/** Where we are, what comes, and the hands; in the largest type nothing else. */
function Middle(props: MiddleProps) {
  const { show, entry, state, stage, held, when, view, toggleLarge } = props;
  const { t } = useTranslation();
  return (
    <div className="flex min-h-0 min-w-0 flex-col px-[18px] pb-[10px]">
      {view === "large" ? (
        <div className="flex min-h-0 flex-1 gap-2 overflow-auto pt-2">
          <LargeNow entry={entry} entries={show.entries} state={state} />
          <StageButton className="btn min-h-[56px]! flex-none flex-col! gap-0! self-start px-3!" onPress={toggleLarge}>
            {t("stage.large.close")}
            <small>L</small>
          </StageButton>
        </div>
      ) : (
        <Near {...props} />
      )}
      {view === "form" && <WhenChoice when={when} setWhen={props.setWhen} state={state} />}
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

/** Where we are and what comes, and the form or the parts. */
function Near(props: MiddleProps) {
  const { show, entry, state, stage, when, view, toggleParts } = props;
  const { t } = useTranslation();
  const players = usePlayers().data ?? [];
  const parts = view === "parts";
  return (
    <div className="flex min-h-0 flex-1 flex-col gap-[9px] overflow-auto pt-[10px] pb-1 *:flex-none">
      {parts ? <Here entry={entry} state={state} /> : <Now entry={entry} state={state} />}
      <KeepLevels state={state} />
      <div className="grid grid-cols-[minmax(0,1fr)_auto] gap-2">
        <NextUp entry={entry} entries={show.entries} state={state} said={stage.said} when={when} press={stage.press} />
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
          players={players}
          press={stage.press}
          listening={stage.listening}
          listen={(feed) => void stage.listen(feed)}
          why={props.whyPart}
        />
      ) : (
        <>
          {state.tonight.rehearsal && (
            <RehearsalTools entry={entry} entries={show.entries} state={state} press={stage.press} />
          )}
          <Form {...props} players={players} />
        </>
      )}
    </div>
  );
}

/** The form, the bars that are near, and what every stem does. */
function Form({ entry, state, stage, when, words, toggleWords, players }: MiddleProps & { players: Player[] }) {
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
    </>
  );
}
