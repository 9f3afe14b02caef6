import { useState } from "react";

/** A choice that this browser remembers. */
export function useKept(key: string): [boolean, (on: boolean) => void] {
  const [on, setOn] = useState(() => localStorage.getItem(key) === "yes");
  return [
    on,
    (chosen) => {
      localStorage.setItem(key, chosen ? "yes" : "no");
      setOn(chosen);
    },
  ];
}
