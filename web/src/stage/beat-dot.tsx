import { memo, useMemo } from "react";

import { beatPath, beatPoints, handAt } from "./beat-pattern";

interface BeatDotProps {
  beats: number;
  beat: number;
  phase: number;
  quiet: boolean;
}

/** The beat as a dot that travels the conductor's pattern of the metre. */
export const BeatDot = memo(function BeatDot({ beats, beat, phase, quiet }: BeatDotProps) {
  const points = useMemo(() => beatPoints(beats), [beats]);
  const whole = useMemo(() => beatPath(points), [points]);
  const index = Math.min(beats, Math.max(1, beat)) - 1;
  const hand = handAt(points, index, quiet ? 0 : phase);
  return (
    <svg viewBox="0 0 190 150" className="w-full max-w-[190px]" aria-hidden>
      <path d={whole} fill="none" stroke="var(--line)" strokeWidth={5} strokeLinecap="round" strokeLinejoin="round" />
      {!quiet && (
        <path
          d={beatPath(points, index + phase)}
          fill="none"
          stroke="var(--brassline)"
          strokeWidth={5}
          strokeLinecap="round"
          strokeLinejoin="round"
        />
      )}
      {points.map((p, i) => (
        <text
          key={i}
          x={p.x + (p.x < 80 ? -16 : 14)}
          y={p.y + (p.y < 70 ? -8 : 18)}
          fontSize={15}
          textAnchor="middle"
          fill={i === index && !quiet ? "var(--ink)" : "var(--soft)"}
          fontWeight={i === index && !quiet ? 750 : 400}
        >
          {i + 1}
        </text>
      ))}
      <circle cx={hand.x} cy={hand.y} r={11} fill={quiet ? "var(--edge)" : "var(--brassline)"} />
    </svg>
  );
});
