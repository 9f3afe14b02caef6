import type { EntryShown } from "@/api/types";

import type { Playing } from "./engine-state";

export type Ending = EntryShown["steps"][number]["ending"];

/** An entry with the endings that were set on the spot for tonight in place of the prepared ones. */
export function tonights(entry: EntryShown, index: number, { tonight }: Playing): EntryShown {
  const own = tonight.endings.filter((e) => e.entry === index);
  if (!own.length) return entry;
  const of = (step: number) => own.find((e) => e.step === step);
  return {
    ...entry,
    steps: entry.steps.map((s) => {
      const ending = of(s.step);
      return ending ? { ...s, ending: { kind: ending.kind, times: ending.times } } : s;
    }),
  };
}

/** Whether the ending of a step was set on the spot. */
export const isByHand = ({ tonight }: Playing, entry: number, step: number): boolean =>
  tonight.endings.some((e) => e.entry === entry && e.step === step);
