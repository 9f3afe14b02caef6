import { useEffect, useRef, useState } from "react";

import { Refused } from "@/api/client";
import { useNotices } from "@/ui/notices";

import { Ears, type EarsState, type Wish } from "./ears";
import { Places } from "./places";

/** The page's ears. Where the song is goes to `places`, so that only what shows it re-renders. */
export function useEars() {
  const ears = useRef<Ears | null>(null);
  const { complain } = useNotices();
  const [state, setState] = useState<EarsState>("idle");
  const [places] = useState(() => new Places());

  useEffect(() => {
    const made = new Ears();
    made.onState = setState;
    made.onProblem = (problems) => complain(new Refused(problems, 0));
    ears.current = made;
    return () => made.close();
  }, [complain]);

  useEffect(() => {
    if (state === "idle") {
      places.tell(null);
      return;
    }
    let frame = 0;
    const draw = () => {
      places.tell(ears.current?.place() ?? null);
      frame = requestAnimationFrame(draw);
    };
    frame = requestAnimationFrame(draw);
    return () => cancelAnimationFrame(frame);
  }, [state, places]);

  return {
    state,
    places,
    hear: (wish: Wish) => void ears.current?.hear(wish).catch(complain),
    stop: () => ears.current?.stop(),
    apart: (solo: string[], mute: string[]) => ears.current?.apart(solo, mute),
  };
}

export type PageEars = ReturnType<typeof useEars>;
