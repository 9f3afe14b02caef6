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

/** A text that this browser remembers; empty at first. */
export function useKeptText(key: string): [string, (text: string) => void] {
  const [text, setText] = useState(() => localStorage.getItem(key) ?? "");
  return [
    text,
    (typed) => {
      if (typed) localStorage.setItem(key, typed);
      else localStorage.removeItem(key);
      setText(typed);
    },
  ];
}
