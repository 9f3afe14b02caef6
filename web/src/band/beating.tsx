import { useEffect, useRef, useState } from "react";

import type { BandState } from "@/api/types";
import { BeatDot } from "@/stage/beat-dot";

import type { BandLine } from "./band-line";
import { beatNow, ofPicture } from "./beat-now";

/** The beat as a dot on the conductor's pattern, in step by the server's clock. */
export function Beating({ state, line }: { state: BandState; line: BandLine | null }) {
  const latest = useRef({ state, line });
  latest.current = { state, line };
  const [now, setNow] = useState(() => beatNow(state, undefined));
  useEffect(() => {
    let frame = requestAnimationFrame(function draw() {
      const { state: told, line: open } = latest.current;
      setNow(beatNow(told, ofPicture(open?.now())));
      frame = requestAnimationFrame(draw);
    });
    return () => cancelAnimationFrame(frame);
  }, []);
  const quiet = state.status !== "playing" && state.status !== "count_in";
  return (
    <div
      data-testid="beat"
      data-bar={now.bar}
      data-beat={quiet ? 0 : now.beat}
      className="flex min-h-[64px] flex-1 items-center justify-center [&_svg]:h-full [&_svg]:max-h-[38vmax] [&_svg]:w-full!"
    >
      <BeatDot beats={state.beats} beat={now.beat} phase={now.phase} quiet={quiet} />
    </div>
  );
}
