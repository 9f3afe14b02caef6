import type { CSSProperties, ReactNode } from "react";

import { HOLD_MS } from "@/generated/core";

import { type Action, type ActionName, ACTIONS } from "./actions";
import { useHold } from "./use-hold";

interface Props {
  className: string;
  children: ReactNode;
  disabled?: boolean;
  title?: string;
  pressed?: boolean;
  label?: string;
  current?: "step";
  style?: CSSProperties;
  onPress: () => void;
}

/**
 * A button of the stage. A click leaves the focus where it was, so that Space does not do it again, and a key
 * that repeats presses once.
 */
export function StageButton({ className, children, disabled, title, pressed, label, current, style, onPress }: Props) {
  return (
    <button
      type="button"
      className={className}
      disabled={disabled}
      title={title}
      aria-label={label}
      aria-pressed={pressed}
      aria-current={current}
      style={style}
      onMouseDown={(e) => e.preventDefault()}
      onKeyDown={(e) => e.repeat && (e.key === "Enter" || e.key === " ") && e.preventDefault()}
      onClick={onPress}
    >
      {children}
    </button>
  );
}

interface HeldProps extends Props {
  /** Which action it is, and the one whose key is being held; neither where no key does it. */
  action?: ActionName;
  held?: Action | null;
}

/** A button that has to be held for half a second. */
export function HeldButton({ className, children, disabled, title, action, held, onPress }: HeldProps) {
  const hold = useHold(onPress);
  const filling = hold.holding || (action !== undefined && held === ACTIONS[action]);
  return (
    <button
      type="button"
      className={`relative overflow-hidden ${className}`}
      disabled={disabled}
      title={title}
      onMouseDown={(e) => e.preventDefault()}
      {...hold.handlers}
    >
      <span
        aria-hidden
        className={`absolute inset-y-0 left-0 bg-claybg ${filling ? "w-full transition-[width] ease-linear" : "w-0"}`}
        style={{ transitionDuration: `${HOLD_MS}ms` }}
      />
      <span className="relative">{children}</span>
    </button>
  );
}
