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

/** The entry that comes after the present one: chosen for tonight, else by tonight's order. */
export function followingOf(entries: EntryShown[], { tonight, position, status, entry }: Playing) {
  const now = status === "playing" || status === "count_in" || status === "stopped" ? position.entry : entry;
  return entries[tonight.after?.entry ?? tonight.order[tonight.order.indexOf(now) + 1] ?? -1];
}
