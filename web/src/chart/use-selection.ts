import { useCallback, useLayoutEffect, useMemo, useRef, useState } from "react";

export interface Span {
  first: number;
  last: number;
}

/** Bars chosen on the chart: from an anchor to where the hand is now. */
export function useSelection(bars: number) {
  // The hands of four hundred bars stay the same when the song grows by one.
  const length = useRef(bars);
  useLayoutEffect(() => {
    length.current = bars;
  }, [bars]);
  const [ends, setEnds] = useState<{ anchor: number; head: number } | null>(null);
  const clamp = useCallback((bar: number) => Math.min(Math.max(bar, 1), length.current), []);
  const start = useCallback((bar: number) => setEnds({ anchor: clamp(bar), head: clamp(bar) }), [clamp]);
  const extend = useCallback(
    (bar: number) => setEnds((now) => ({ anchor: now?.anchor ?? clamp(bar), head: clamp(bar) })),
    [clamp],
  );
  const set = useCallback((span: Span) => setEnds({ anchor: clamp(span.first), head: clamp(span.last) }), [clamp]);
  const clear = useCallback(() => setEnds(null), []);
  const span = useMemo<Span | null>(
    () =>
      ends
        ? { first: Math.min(ends.anchor, ends.head, bars), last: Math.min(Math.max(ends.anchor, ends.head), bars) }
        : null,
    [ends, bars],
  );
  return { span, head: ends?.head ?? null, start, extend, set, clear };
}

export type Selection = ReturnType<typeof useSelection>;
