import { useEffect, useRef, useState } from "react";

import { Refused } from "@/api/client";
import { useNotices } from "@/ui/notices";

import { Ears, type EarsState, type Place, type Wish } from "./ears";

/** The page's ears, with the place in the song as often as the screen is drawn. */
export function useEars() {
  const ears = useRef<Ears | null>(null);
  const { complain } = useNotices();
  const [state, setState] = useState<EarsState>("idle");
  const [place, setPlace] = useState<Place | null>(null);

  useEffect(() => {
    const made = new Ears();
    made.onState = setState;
    made.onProblem = (problems) => complain(new Refused(problems, 0));
    ears.current = made;
    return () => made.close();
  }, [complain]);

  useEffect(() => {
    if (state === "idle") {
      setPlace(null);
      return;
    }
    let frame = 0;
    const draw = () => {
      const now = ears.current?.place() ?? null;
      // A bar's eighth is as fine as it is drawn; fewer renders keep the page calm.
      setPlace((before) => (before && now && before.bar === now.bar && Math.abs(before.phase - now.phase) < 0.01 ? before : now));
      frame = requestAnimationFrame(draw);
    };
    frame = requestAnimationFrame(draw);
    return () => cancelAnimationFrame(frame);
  }, [state]);

  return {
    state,
    place,
    hear: (wish: Wish) => void ears.current?.hear(wish).catch(complain),
    stop: () => ears.current?.stop(),
  };
}
