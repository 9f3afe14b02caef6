import { useSyncExternalStore } from "react";

/** Narrower, in CSS pixels, the stage is shown for one hand. */
const NARROW = 960;

const watch = (told: () => void) => {
  addEventListener("resize", told);
  return () => removeEventListener("resize", told);
};

export const useNarrow = () => useSyncExternalStore(watch, () => innerWidth < NARROW);
