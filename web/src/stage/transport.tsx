import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";

import type { Action } from "./actions";
import { can, isMoving, type Playing, type When, whyNot } from "./engine-state";
import { HeldButton, StageButton } from "./stage-button";

interface Props {
  state: Playing;
  entry: EntryShown;
  /** The song that would stand by after this one. */
  following: EntryShown | undefined;
  when: When;
  press: Press;
  /** What is being held by key. */
  held: Action | null;
}

const BUTTON =
  "min-h-[84px] rounded-[7px] border border-line bg-sheet px-2 text-[20px] font-bold [font-stretch:82%] disabled:opacity-45";

const SMALL = "line-clamp-2 text-[11.5px] leading-tight font-medium break-words";

/** The stage manager's words, large enough for a thumb in the dark. */
export function Transport({ state, entry, following, when, press, held }: Props) {
  const { t } = useTranslation();
  const vamp = can(state, "release");
  return (
    <div className="mt-auto grid flex-none grid-cols-[minmax(0,1.6fr)_repeat(4,minmax(0,1fr))] gap-2 pt-2">
      {state.status === "stopped" ? (
        <Stopped state={state} entry={entry} press={press} held={held} />
      ) : (
        <GoAndStop state={state} entry={entry} press={press} held={held} />
      )}
      <StageButton
        className={BUTTON}
        disabled={!can(state, "once_more")}
        title={whyNot(state, "once_more")}
        onPress={() => press("once_more", { when })}
      >
        {t("stage.onceMore")}
        <small className={SMALL}>{t("stage.onceMoreAbout")}</small>
      </StageButton>
      <StageButton
        className={`${BUTTON} ${vamp ? "border-2 border-plum! text-plum!" : ""}`}
        disabled={!can(state, "release")}
        title={whyNot(state, "release")}
        onPress={() => press("release")}
      >
        {t("stage.release")}
        <small className={SMALL}>{t("stage.releaseAbout")}</small>
      </StageButton>
      <StageButton
        className={BUTTON}
        disabled={!following || !can(state, "stand_by")}
        title={whyNot(state, "stand_by")}
        onPress={() => press("stand_by")}
      >
        {t("stage.nextSong")}
        <small className={SMALL}>
          {following ? t("stage.nextSongAbout", { title: following.title }) : t("stage.lastSong")}
        </small>
      </StageButton>
    </div>
  );
}

type HandProps = Pick<Props, "state" | "entry" | "press" | "held">;

const GO = "border-0! bg-pine! text-[27px]! text-onpine!";

/** Go, which says what it starts, and stop, which asks for a hold. */
function GoAndStop({ state, entry, press, held }: HandProps) {
  const { t } = useTranslation();
  return (
    <>
      <StageButton
        className={`${BUTTON} ${GO}`}
        disabled={!can(state, "go")}
        title={whyNot(state, "go")}
        onPress={() => press("go")}
      >
        {t("stage.go")}
        <small className={SMALL}>
          {isMoving(state) ? t("stage.goGuarded") : t("stage.goStarts", { title: entry.title })}
        </small>
      </StageButton>
      <HeldButton
        className={BUTTON}
        action="stop"
        held={held}
        disabled={!can(state, "stop")}
        title={whyNot(state, "stop")}
        onPress={() => press("stop")}
      >
        {t("stage.stop")}
        <small className={SMALL}>{t("stage.stopHold")}</small>
      </HeldButton>
    </>
  );
}

/** After a stop: resume where go was, and the way to begin again, which asks for a hold. */
function Stopped({ state, entry, press, held }: HandProps) {
  const { t } = useTranslation();
  return (
    <>
      <StageButton
        className={`${BUTTON} border-2! border-pine! text-[27px]! text-pine!`}
        disabled={!can(state, "resume")}
        title={whyNot(state, "resume")}
        onPress={() => press("resume")}
      >
        {t("stage.resume")}
        <small className={SMALL}>{t("stage.resumeFrom", { bar: state.position.bar })}</small>
      </StageButton>
      <HeldButton className={BUTTON} action="begin_again" held={held} onPress={() => press("begin_again")}>
        {t("stage.beginAgain")}
        <small className={SMALL}>{t("stage.beginAgainHold", { title: entry.title })}</small>
      </HeldButton>
    </>
  );
}
