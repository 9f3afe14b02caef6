import type { EntryShown, NoStage, StageState } from "@/api/types";
import type { PressName } from "@/api/edits";
import { WHENS } from "@/generated/core";

/** The state of the engine while it holds a show of the own band. */
export type Playing = StageState;
export type EngineState = StageState | NoStage;

export { WHENS };
export type When = (typeof WHENS)[number];

/** Whether a song plays or is counted in. */
export const isMoving = ({ status }: Playing): boolean => status === "playing" || status === "count_in";

/** Whether a press can be taken now, as the engine says. */
export const can = (state: Playing, press: PressName): boolean => !(press in state.unavailable);
/** Why it cannot, in the engine's words; nothing where it can. */
export const whyNot = (state: Playing, press: PressName): string | undefined => state.unavailable[press]?.message;

export const isPlaying = (state: EngineState | null): state is Playing => state !== null && "position" in state;

/** The entry that comes after the present one, as the engine says. */
export const followingOf = (entries: EntryShown[], { tonight }: Playing): EntryShown | undefined =>
  entries[tonight.following ?? -1];
