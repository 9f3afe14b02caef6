import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";

import { can, type Playing, type When, whyNot } from "./engine-state";
import { HOLD_MS, useHold } from "./use-hold";

interface Props {
  state: Playing;
  entry: EntryShown;
  entries: EntryShown[];
  when: When;
  press: Press;
  /** The stop key is being held. */
  holding: boolean;
}

const BUTTON =
  "relative min-h-[84px] overflow-hidden rounded-[7px] border border-line bg-sheet px-2 text-[20px] font-bold [font-stretch:82%] disabled:opacity-45";

const SMALL = "block text-[11.5px] font-medium";

/** The stage manager's words, large enough for a thumb in the dark. */
export function Transport({ state, entry, entries, when, press, holding }: Props) {
  const { t } = useTranslation();
  const playing = state.status === "playing" || state.status === "count_in";
  const vamp = can(state, "release");
  return (
    <div className="mt-auto grid grid-cols-[1.6fr_1fr_1fr_1fr_1fr] gap-2 pt-2">
      <button
        type="button"
        className={`${BUTTON} border-0! bg-pine! text-[27px]! text-onpine!`}
        disabled={!can(state, "go")}
        title={whyNot(state, "go")}
        onClick={() => press("go")}
      >
        {t("stage.go")}
        <small className={SMALL}>{playing ? t("stage.goGuarded") : t("stage.goStarts", { title: entry.title })}</small>
      </button>
      <StopOrResume state={state} press={press} holding={holding} />
      <button
        type="button"
        className={BUTTON}
        disabled={!can(state, "once_more")}
        title={whyNot(state, "once_more")}
        onClick={() => press("once_more", { when })}
      >
        {t("stage.onceMore")}
        <small className={SMALL}>{t("stage.onceMoreAbout")}</small>
      </button>
      <button
        type="button"
        className={`${BUTTON} ${vamp ? "border-2 border-plum! text-plum!" : ""}`}
        disabled={!can(state, "release")}
        title={whyNot(state, "release")}
        onClick={() => press("release")}
      >
        {t("stage.release")}
        <small className={SMALL}>{t("stage.releaseAbout")}</small>
      </button>
      <NextSong state={state} following={entries[state.entry + 1]} press={press} />
    </div>
  );
}

/** Stop, which asks for a hold; once stopped, resume in its place. */
function StopOrResume({ state, press, holding }: Pick<Props, "state" | "press" | "holding">) {
  const { t } = useTranslation();
  const stop = useHold(() => press("stop"));
  return state.status === "stopped" ? (
    <button type="button" className={`${BUTTON} border-pine! text-pine!`} onClick={() => press("resume")}>
      {t("stage.resume")}
      <small className={SMALL}>{t("stage.resumeFrom", { bar: state.position.bar })}</small>
    </button>
  ) : (
    <button
      type="button"
      className={BUTTON}
      disabled={!can(state, "stop")}
      title={whyNot(state, "stop")}
      {...stop.handlers}
    >
      <span
        aria-hidden
        className={`absolute inset-y-0 left-0 bg-claybg ${stop.holding || holding ? "w-full transition-[width] ease-linear" : "w-0"}`}
        style={{ transitionDuration: `${HOLD_MS}ms` }}
      />
      <span className="relative">
        {t("stage.stop")}
        <small className={SMALL}>{t("stage.stopHold")}</small>
      </span>
    </button>
  );
}

interface NextProps extends Pick<Props, "state" | "press"> {
  following: EntryShown | undefined;
}

/** The song after this one stands by. */
function NextSong({ state, following, press }: NextProps) {
  const { t } = useTranslation();
  return (
    <button
      type="button"
      className={BUTTON}
      disabled={!following || !can(state, "stand_by")}
      onClick={() => press("stand_by")}
    >
      {t("stage.nextSong")}
      <small className={`${SMALL} truncate`}>
        {following ? t("stage.nextSongAbout", { title: following.title }) : t("stage.lastSong")}
      </small>
    </button>
  );
}
