import { useState } from "react";

/** How bright the stage can be: 1 is full. */
export const LIGHTS = [1, 0.75, 0.5, 0.3] as const;
const KEPT = "stage-light";

/** The light of this screen, which the browser remembers. */
export function useLight(): [number, (light: number) => void] {
  const [light, setLight] = useState(() => LIGHTS.find((l) => String(l) === localStorage.getItem(KEPT)) ?? 1);
  return [
    light,
    (chosen) => {
      localStorage.setItem(KEPT, String(chosen));
      setLight(LIGHTS.find((l) => l === chosen) ?? 1);
    },
  ];
}
