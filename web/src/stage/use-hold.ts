import { useEffect, useRef, useState } from "react";

import { HOLD_MS } from "@/generated/core";

/** A frame that took longer is a page that stood still: what is longer does not count as held. */
const LONGEST_FRAME_MS = 50;

/** Calls back with the ms held so far, frame by frame; gives what ends it. */
function heldTime(each: (ms: number) => void): () => void {
  let [held, last] = [0, performance.now()];
  let frame = requestAnimationFrame(function next() {
    const now = performance.now();
    held += Math.min(LONGEST_FRAME_MS, now - last);
    last = now;
    frame = requestAnimationFrame(next);
    each(held);
  });
  return () => cancelAnimationFrame(frame);
}

/**
 * A press that has to be meant: it counts once it was held for half a second.
 *
 * A finger is held as long as its pointer is down. A key is held as long as it repeats: one whose
 * release was lost does not.
 */
export function useHold(done: () => void) {
  const [holding, setHolding] = useState(false);
  const stop = useRef<(() => void) | null>(null);
  const held = useRef(0);
  const latest = useRef(done);
  latest.current = done;
  const end = () => {
    stop.current?.();
    stop.current = null;
    held.current = 0;
    setHolding(false);
  };
  const fire = () => {
    end();
    latest.current();
  };
  const begin = (byKey: boolean) => {
    end();
    setHolding(true);
    stop.current = heldTime((ms) => {
      held.current = ms;
      if (!byKey && ms >= HOLD_MS) fire();
      // No key takes that long to repeat.
      if (byKey && ms >= 3 * HOLD_MS) end();
    });
  };
  const key = (repeat: boolean) => {
    if (!repeat) begin(true);
    else if (stop.current && held.current >= HOLD_MS) fire();
  };
  useLeft(end);
  return {
    holding,
    /** A key went down, or repeats. */
    key,
    end,
    handlers: handlersOf(() => begin(false), key, end),
  };
}

/** Ends a hold where the window or the tab is left, and with the component. */
function useLeft(end: () => void) {
  const latest = useRef(end);
  latest.current = end;
  useEffect(() => {
    const left = () => latest.current();
    addEventListener("blur", left);
    document.addEventListener("visibilitychange", left);
    return () => {
      left();
      removeEventListener("blur", left);
      document.removeEventListener("visibilitychange", left);
    };
  }, []);
}

/** What a button needs to be held, by a finger or by Enter and Space. */
const handlersOf = (begin: () => void, key: (repeat: boolean) => void, end: () => void) => ({
  onPointerDown: (e: React.PointerEvent) => e.button === 0 && begin(),
  onPointerUp: end,
  onPointerLeave: end,
  onPointerCancel: end,
  onContextMenu: (e: React.MouseEvent) => e.preventDefault(),
  onKeyDown: (e: React.KeyboardEvent) => {
    if (e.key !== "Enter" && e.key !== " ") return;
    e.preventDefault();
    e.stopPropagation();
    key(e.repeat);
  },
  onKeyUp: end,
  onBlur: end,
});
