import { useEffect, useRef } from "react";

import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";

import type { Playing, When } from "./engine-state";
import { useHold } from "./use-hold";

interface Wish {
  state: Playing;
  entry: EntryShown | undefined;
  when: When;
  press: Press;
}

/** Every stage action by key; the buttons say which. Keys do nothing while something is typed or chosen. */
export function useStageKeys(wish: Wish): { holding: boolean } {
  const latest = useRef(wish);
  latest.current = wish;
  const stop = useHold(() => latest.current.press("stop"));
  const hold = useRef(stop);
  hold.current = stop;
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      const { state, entry, when, press } = latest.current;
      const target = e.target instanceof HTMLElement ? e.target : null;
      if (
        e.repeat ||
        e.ctrlKey ||
        e.metaKey ||
        e.altKey ||
        target?.closest("input, select, [role=menu], [role=dialog]")
      )
        return;
      // Space and Enter belong to the button that has the focus.
      const onButton = target?.closest("button, a") !== null && target !== null && target !== document.body;
      const section = entry?.steps[Number(e.key) - 1];
      const actions: Record<string, () => void> = {
        g: () => press("go"),
        s: () => hold.current.begin(),
        r: () => press(state.status === "stopped" ? "resume" : "release"),
        o: () => press("once_more", { when }),
        n: () => press("stand_by"),
        h: () => press(state.house_pulled ? "bring_back" : "pull_house"),
        Backspace: () => press("take_back"),
        ...(!onButton && { " ": () => press("go") }),
        ...(section && { [e.key]: () => press("go_to", { step: section.step, when }) }),
      };
      const action = actions[e.key.length === 1 ? e.key.toLowerCase() : e.key];
      if (action) {
        e.preventDefault();
        action();
      }
    };
    const up = (e: KeyboardEvent) => e.key.toLowerCase() === "s" && hold.current.end();
    addEventListener("keydown", down);
    addEventListener("keyup", up);
    return () => {
      removeEventListener("keydown", down);
      removeEventListener("keyup", up);
    };
  }, []);
  return { holding: stop.holding };
}
