import { useCallback, useMemo, useState } from "react";

export interface Span {
  first: number;
  last: number;
}

/** Bars chosen on the chart: from an anchor to where the hand is now. */
export function useSelection(bars: number) {
  const [ends, setEnds] = useState<{ anchor: number; head: number } | null>(null);
  const clamp = useCallback((bar: number) => Math.min(Math.max(bar, 1), bars), [bars]);
  const start = useCallback((bar: number) => setEnds({ anchor: clamp(bar), head: clamp(bar) }), [clamp]);
  const extend = useCallback((bar: number) => setEnds((now) => ({ anchor: now?.anchor ?? clamp(bar), head: clamp(bar) })), [clamp]);
  const set = useCallback((span: Span) => setEnds({ anchor: clamp(span.first), head: clamp(span.last) }), [clamp]);
  const clear = useCallback(() => setEnds(null), []);
  const span = useMemo<Span | null>(() => (ends ? { first: clamp(Math.min(ends.anchor, ends.head)), last: clamp(Math.max(ends.anchor, ends.head)) } : null), [ends, clamp]);
  return { span, head: ends?.head ?? null, start, extend, set, clear };
}

export type Selection = ReturnType<typeof useSelection>;
