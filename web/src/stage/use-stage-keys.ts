import { useEffect, useRef } from "react";

import { type Action, ACTIONS, actionOf, type Wish } from "./actions";
import type { Keys } from "./line";
import { useHold } from "./use-hold";

/** Whether letters that are typed go into what has the focus. */
const isTyping = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement &&
  (target.isContentEditable ||
    target.closest("textarea, input:not([type=checkbox], [type=radio], [type=range])") !== null);

interface StageKeys extends Wish {
  /** There is no contact: keys press nothing. */
  off?: boolean;
  /** Keys that do what the band's hands say, in place of what they would do here. */
  hands?: { keys: Keys["page"]; machine: Keys["machine"]; key: (name: string, down: boolean, at: number) => void };
  /** Keys that act on the page alone, with contact or without. */
  page?: Record<string, () => void>;
}

/** Every action of the stage by key, whatever has the focus but a field in which one types. */
export function useStageKeys(keys: StageKeys): { held: Action | null } {
  const latest = useRef(keys);
  latest.current = keys;
  const action = useRef<Action | null>(null);
  const hold = useHold(() => action.current?.act(latest.current));
  const held = useRef(hold);
  held.current = hold;
  useEffect(() => {
    const down = (e: KeyboardEvent) => {
      const wish = latest.current;
      if (e.ctrlKey || e.metaKey || e.altKey || isTyping(e.target)) return;
      if (handled(wish, e, true)) return;
      const does = actOf(e.key.length === 1 ? e.key.toLowerCase() : e.key, e.target, wish);
      if (!does) return;
      e.preventDefault();
      // Neither a list nor a menu that has the focus shall search for the letter.
      e.stopPropagation();
      if (does.held) {
        action.current = does;
        held.current.key(e.repeat);
      } else if (!e.repeat) does.act(wish);
    };
    const up = (e: KeyboardEvent) => {
      handled(latest.current, e, false);
      held.current.end();
    };
    addEventListener("keydown", down, true);
    addEventListener("keyup", up, true);
    return () => {
      removeEventListener("keydown", down, true);
      removeEventListener("keyup", up, true);
    };
  }, []);
  return { held: hold.holding ? action.current : null };
}

/** Whether a key belongs to the hands: then it goes to the ports, or the machine has read it already. */
function handled({ hands, off }: StageKeys, e: KeyboardEvent, down: boolean): boolean {
  if (!hands || off) return false;
  const read = isThisMachine() && hands.machine.includes(e.key);
  if (!read && !hands.keys.includes(e.key)) return false;
  if (down) {
    e.preventDefault();
    e.stopPropagation();
  }
  if (!read && !e.repeat) hands.key(e.key, down, e.timeStamp);
  return true;
}

/** Whether this page is shown by the machine that plays. */
const isThisMachine = () => ["127.0.0.1", "localhost", "[::1]"].includes(location.hostname);

function actOf(key: string, target: EventTarget | null, wish: StageKeys): Action | undefined {
  const focused = target instanceof HTMLElement && target !== document.body ? target : null;
  // What is moved or chosen with arrows keeps them; Space belongs to the button that has the focus.
  if (
    key.startsWith("Arrow") &&
    focused?.closest(
      "[role=radiogroup], [role=group] > [role=radio], [role=menu], [role=slider], select, input, [aria-pressed=true][data-grip]",
    )
  )
    return undefined;
  if (key === " " && !wish.off)
    return focused?.closest("button, a, select, summary, [role=radio], [role=menuitem]") ? undefined : spaceOf(wish);
  const own = wish.page?.[key];
  if (own) return { key, written: key, act: own };
  if (wish.off) return undefined;
  const section = wish.entry?.steps[Number(key) - 1];
  if (section) return { key, written: key, act: ({ press, when }) => press("go_to", { step: section.step, when }) };
  return actionOf(key, wish);
}

/** Space goes, and does nothing else: after a stop it does not begin the song again. */
const spaceOf = ({ state }: Wish): Action | undefined => (state.status === "stopped" ? undefined : ACTIONS.go);
