import { useState } from "react";

import type { Entry } from "@/api/types";

/** Entries that are chosen to be moved or changed together; with Shift all up to the one chosen last. */
export function useChosen(entries: Entry[]) {
  const [chosen, setChosen] = useState<ReadonlySet<string>>(new Set());
  const [last, setLast] = useState<string | null>(null);
  const known = new Set(entries.map((e) => e.id));
  const now = new Set([...chosen].filter((id) => known.has(id)));
  const choose = (id: string, on: boolean, through: boolean) => {
    const places = [last, id].map((one) => entries.findIndex((e) => e.id === one));
    const [a, b] = [Math.min(...places), Math.max(...places)];
    const ids = through && a >= 0 ? entries.slice(a, b + 1).map((e) => e.id) : [id];
    const next = new Set(now);
    for (const one of ids) {
      if (on) next.add(one);
      else next.delete(one);
    }
    setChosen(next);
    setLast(id);
  };
  return { ids: now as ReadonlySet<string>, choose, set: setChosen, clear: () => setChosen(new Set()) };
}
