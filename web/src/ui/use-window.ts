import { type UIEvent, useState } from "react";

const AROUND = 12;
const AT_LEAST = 40;

/** The rows of a long list that are seen, and a few around them; heights in px. */
export function useWindow(count: number, rowHeight: number) {
  const [seen, setSeen] = useState({ top: 0, height: 0 });
  const first = Math.max(0, Math.floor(seen.top / rowHeight) - AROUND);
  const last = Math.min(count, first + Math.max(AT_LEAST, Math.ceil(seen.height / rowHeight) + 2 * AROUND));
  return {
    first,
    last,
    above: first * rowHeight,
    below: (count - last) * rowHeight,
    onScroll: ({ currentTarget: { scrollTop, clientHeight } }: UIEvent<HTMLElement>) => {
      // Only a step of several rows re-renders.
      if (Math.abs(scrollTop - seen.top) > (AROUND / 2) * rowHeight || clientHeight !== seen.height)
        setSeen({ top: scrollTop, height: clientHeight });
    },
  };
}
