import type { Feed, Rig } from "@/api/types";

import { lookOf, wiresOf } from "./board";

/** Every wire; those of what one is at (`near`) stand out. */
export function Wires({ feeds, rig, near }: { feeds: Feed[]; rig: Rig | undefined; near: string }) {
  const wires = wiresOf(feeds, rig);
  return (
    <svg aria-hidden className="pointer-events-none absolute inset-0 h-full w-full">
      {wires.map((w) => {
        const { width, opacity } = lookOf(w, near, wires.length);
        return (
          <path
            key={w.key}
            d={w.path}
            fill="none"
            stroke={`var(--${w.colour})`}
            strokeWidth={width}
            opacity={opacity}
            strokeDasharray={w.dashed ? "5 4" : undefined}
          />
        );
      })}
    </svg>
  );
}
