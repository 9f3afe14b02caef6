import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { EntryShown } from "@/api/types";
import { STEP_BY_HAND_DB } from "@/generated/core";
import { clock } from "@/lib/format";
import { Waiting } from "@/ui/states";

import { tonights } from "./endings";
import { can, followingOf, isMoving, isPlaying, type When, whyNot } from "./engine-state";
import type { Beside } from "./beside-stage";
import { Here, Left, titleOf } from "./now";
import { NoShow } from "./no-show";
import { SectionTargets } from "./section-targets";
import { HeldButton, StageButton } from "./stage-button";
import { useStage } from "./use-stage";
import { useStageKeys } from "./use-stage-keys";

/** The stage in one hand: now, next, sections, go, stop, the house, parts. `phone`: the pass of a joined phone. */
export function Remote({ port, phone }: { port: number; phone?: string }) {
  const { t } = useTranslation();
  const stage = useStage(port, phone);
  const { state, show } = stage;
  const since = stage.lost ?? stage.silent;
  if (!isPlaying(state) || !show) {
    if (state === null || isPlaying(state)) return <Waiting />;
    return <NoShow status={stage.lost ? "lost" : state.status} />;
  }
  return (
    <div className="stage flex h-full flex-col bg-paper text-ink">
      {since && (
        <p role="alert" className="bg-clay px-4 py-2 font-[650] text-paper">
          {t(stage.lost ? "stage.lostSince" : "stage.silentSince", { time: clock(since) })}
        </p>
      )}
      <main
        inert={since !== null}
        aria-label={t("remote.title")}
        className="flex min-h-0 flex-1 flex-col gap-3 px-4 py-3"
      >
        <InHand show={show} state={state} stage={stage} />
      </main>
    </div>
  );
}

function InHand({ show, state, stage }: Beside) {
  const { t } = useTranslation();
  const [view, setView] = useState<"form" | "parts">("form");
  const [when, setWhen] = useState<When>("section_end");
  const index = isMoving(state) || state.status === "stopped" ? state.position.entry : state.entry;
  const prepared = show.entries[index];
  const entry = prepared && tonights(prepared, index, state);
  // A narrow window of a computer has the keys of the stage all the same.
  useStageKeys({
    state,
    entry,
    when,
    press: stage.press,
    off: stage.lost !== null || stage.silent !== null,
    hands: { keys: stage.keys.page, machine: stage.keys.machine, key: stage.key },
  });
  if (!entry) return null;
  return (
    <>
      <Where show={show} entry={entry} state={state} />
      <div className="grid grid-cols-2 gap-2">
        {(["form", "parts"] as const).map((one) => (
          <StageButton key={one} className="btn min-h-[48px]!" pressed={view === one} onPress={() => setView(one)}>
            {t(one === "form" ? "stage.road" : "stage.parts.title")}
          </StageButton>
        ))}
      </div>
      <div className="min-h-0 flex-1 overflow-auto">
        {view === "form" ? (
          <SectionTargets
            steps={entry.steps}
            now={state.position.step}
            coming={state.coming?.step ?? null}
            disabled={!can(state, "go_to")}
            onPress={(step) => stage.press("go_to", { step, when })}
          />
        ) : (
          <PartsInHand entry={entry} state={state} stage={stage} />
        )}
      </div>
      <p role="status" className="min-h-[22px] truncate">
        {stage.said?.text}
      </p>
      {view === "form" && <WhenInHand when={when} setWhen={setWhen} />}
      <Transport state={state} stage={stage} />
    </>
  );
}

/** The song, where it is, and what comes. */
function Where({ show, entry, state }: Omit<Beside, "stage"> & { entry: EntryShown }) {
  const { t } = useTranslation();
  const next = entry.steps[state.coming?.step ?? -1];
  return (
    <>
      <div className="flex justify-between gap-3 text-[15px] text-soft">
        <h1 className="min-w-0 truncate text-[15px]! font-normal!">{titleOf(entry, state, t)}</h1>
        <Left state={state} />
      </div>
      <Here entry={entry} state={state} />
      <p className={`${next ? `k${next.colour}` : ""} border-2 border-dashed border-[var(--k,var(--line))] px-3 py-2`}>
        <small className="text-soft">{t("stage.nextUp")}</small>{" "}
        <b className="text-[20px]">{next?.name ?? followingOf(show.entries, state)?.title ?? t("stage.end")}</b>
      </p>
    </>
  );
}

/** When a section comes that is tapped. */
function WhenInHand({ when, setWhen }: { when: When; setWhen: (when: When) => void }) {
  const { t } = useTranslation();
  return (
    <label className="flex items-center gap-2">
      <span className="text-soft">{t("stage.whenLabel")}</span>
      <select className="field min-h-[44px]! grow" value={when} onChange={(e) => setWhen(e.target.value as When)}>
        {(["at_once", "next_bar", "section_end"] as const).map((one) => (
          <option key={one} value={one}>
            {t(`stage.when.${one}`)}
          </option>
        ))}
      </select>
    </label>
  );
}

type InHandProps = Pick<Beside, "state" | "stage"> & { entry: NonNullable<Beside["show"]["entries"][number]> };

/** Every stem of the song in or out by hand, with click and cues. */
function PartsInHand({ entry, state, stage }: InHandProps) {
  const { t } = useTranslation();
  const parts = [
    ...entry.stems.map((s) => ({ part: `stem:${s.id}`, name: s.name })),
    { part: "click", name: t("stage.parts.click") },
    { part: "cues", name: t("stage.parts.cues") },
  ];
  return (
    <ul className="flex flex-col gap-2">
      {parts.map(({ part, name }) => {
        const now = state.parts.find((p) => p.part === part);
        const out = now?.on === false;
        return (
          <li key={part} className="grid grid-cols-[minmax(0,1fr)_64px_64px_80px] items-center gap-2">
            <span className="truncate text-[17px]">{name}</span>
            <StageButton
              className="btn min-h-[52px]!"
              label={t("band.softer", { name })}
              onPress={() => stage.press("level", { part, by: -STEP_BY_HAND_DB })}
            >
              −
            </StageButton>
            <StageButton
              className="btn min-h-[52px]!"
              label={t("band.louder", { name })}
              onPress={() => stage.press("level", { part, by: STEP_BY_HAND_DB })}
            >
              +
            </StageButton>
            <StageButton
              className="btn min-h-[52px]!"
              pressed={out}
              label={t(out ? "remote.bringIn" : "remote.takeOut", { name })}
              onPress={() => stage.press("in_out", { part, on: out ? null : false })}
            >
              {t(out ? "remote.isOut" : "stage.parts.in")}
            </StageButton>
          </li>
        );
      })}
    </ul>
  );
}

/** Go, stop, vamp, the house. */
function Transport({ state, stage }: Pick<Beside, "state" | "stage">) {
  const { t } = useTranslation();
  const stopped = state.status === "stopped";
  const go = stopped ? "resume" : "go";
  return (
    <div className="grid grid-cols-2 gap-2">
      <StageButton
        className="btn pri min-h-[80px]! text-[20px]!"
        disabled={!can(state, go)}
        {...(whyNot(state, go) && { title: whyNot(state, go) })}
        onPress={() => stage.press(go)}
      >
        {t(stopped ? "stage.resume" : "stage.go")}
      </StageButton>
      <HeldButton
        className="btn bad min-h-[80px]! text-[20px]!"
        disabled={!can(state, "stop")}
        onPress={() => stage.press("stop")}
      >
        {t("stage.stop")}
        <small className="block">{t("remote.hold")}</small>
      </HeldButton>
      <StageButton
        className="btn min-h-[64px]!"
        disabled={!can(state, "ending_tonight")}
        onPress={() =>
          stage.press(
            can(state, "release") ? "release" : "ending_tonight",
            can(state, "release") ? {} : { ending: "vamp" },
          )
        }
      >
        {t(can(state, "release") ? "stage.release" : "stage.vamp")}
      </StageButton>
      <StageButton
        className={`btn min-h-[64px]! ${state.house_pulled ? "bad" : ""}`}
        pressed={state.house_pulled}
        onPress={() => stage.press(state.house_pulled ? "bring_back" : "pull_house")}
      >
        {t(state.house_pulled ? "stage.bringBack" : "stage.pull")}
      </StageButton>
    </div>
  );
}
