import { useEffect, useRef } from "react";

import type { Places } from "@/hear/places";

/** The line that goes through the bar being heard; it moves without re-rendering anything else. */
export function Playhead({ places, bar }: { places: Places; bar: number }) {
  const line = useRef<HTMLSpanElement>(null);
  useEffect(
    () =>
      places.watch(() => {
        const place = places.get();
        if (line.current && place?.bar === bar) line.current.style.left = `${place.phase * 100}%`;
      }),
    [places, bar],
  );
  return <span ref={line} className="absolute inset-y-0 left-0 w-[2px] bg-brassline" />;
}
