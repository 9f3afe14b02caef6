import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";

import { type Playing, type When } from "./engine-state";

export interface Wish {
  state: Playing;
  entry: EntryShown | undefined;
  when: When;
  press: Press;
}

/** What can be done on the stage by one key. `held`: only where the key is held. */
export interface Action {
  key: string;
  /** How the key is written on buttons. */
  written: string;
  held?: boolean;
  act: (wish: Wish) => void;
}

/** Every action of the stage by its name, in the order of the sheet of keys. Sections have the keys 1 to 9 besides. */
export const ACTIONS = {
  go: { key: "g", written: "G", act: ({ press }) => press("go") },
  begin_again: { key: "g", written: "G", held: true, act: ({ press }) => press("begin_again") },
  stop: { key: "s", written: "S", held: true, act: ({ press }) => press("stop") },
  fade_away: { key: "f", written: "F", held: true, act: ({ press }) => press("fade_away") },
  resume: { key: "r", written: "R", act: ({ press }) => press("resume") },
  release: { key: "r", written: "R", act: ({ press }) => press("release") },
  once_more: { key: "o", written: "O", act: ({ press, when }) => press("once_more", { when }) },
  vamp: { key: "v", written: "V", act: ({ press }) => press("ending_tonight", { ending: "vamp" }) },
  more: { key: "m", written: "M", act: ({ press }) => press("more", { rounds: 1 }) },
  end_after: { key: "e", written: "E", act: ({ press }) => press("ending_tonight", { ending: "fine" }) },
  back: { key: "ArrowLeft", written: "←", act: ({ press, when }) => press("choose", { by: -1, when }) },
  forth: { key: "ArrowRight", written: "→", act: ({ press, when }) => press("choose", { by: 1, when }) },
  take_back: { key: "Backspace", written: "⌫", act: ({ press }) => press("take_back") },
  next_song: { key: "n", written: "N", act: ({ press }) => press("stand_by") },
  house: {
    key: "h",
    written: "H",
    act: ({ press, state }) => press(state.house_pulled ? "bring_back" : "pull_house"),
  },
  mark: { key: "k", written: "K", act: ({ press }) => press("mark") },
} satisfies Record<string, Action>;

export type ActionName = keyof typeof ACTIONS;

/** The action of a key as things stand: one key may have two, of which one can be done. */
export function actionOf(key: string, { state }: Wish): Action | undefined {
  const stopped = state.status === "stopped";
  const named: Record<string, ActionName> = { g: stopped ? "begin_again" : "go", r: stopped ? "resume" : "release" };
  const name = named[key] ?? (Object.keys(ACTIONS) as ActionName[]).find((n) => ACTIONS[n].key === key);
  return name && ACTIONS[name];
}
