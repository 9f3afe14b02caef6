import { useEffect, useRef, useState } from "react";

export const HOLD_MS = 500;

/** A press that has to be meant: it counts once it was held for half a second. */
export function useHold(done: () => void) {
  const [holding, setHolding] = useState(false);
  const timer = useRef(0);
  const latest = useRef(done);
  latest.current = done;
  const begin = () => {
    clearTimeout(timer.current);
    setHolding(true);
    timer.current = window.setTimeout(() => {
      setHolding(false);
      latest.current();
    }, HOLD_MS);
  };
  const end = () => {
    clearTimeout(timer.current);
    setHolding(false);
  };
  useEffect(() => () => clearTimeout(timer.current), []);
  return {
    holding,
    begin,
    end,
    handlers: {
      onPointerDown: (e: React.PointerEvent) => e.button === 0 && begin(),
      onPointerUp: end,
      onPointerLeave: end,
      onPointerCancel: end,
      onContextMenu: (e: React.MouseEvent) => e.preventDefault(),
      onKeyDown: (e: React.KeyboardEvent) =>
        (e.key === "Enter" || e.key === " ") && !e.repeat && (e.stopPropagation(), begin()),
      onKeyUp: end,
      onBlur: end,
    },
  };
}
