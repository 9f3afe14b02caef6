import type { EntryTold } from "./use-nights";

export interface Passage {
  section: string;
  /** How often it was played in a row. */
  times: number;
  bars: number;
}

/** The sections in the order they were played, those again and again as one. */
export function passages(passes: EntryTold["passes"]): Passage[] {
  const found: Passage[] = [];
  for (const { section, bars } of passes) {
    const last = found.at(-1);
    if (last?.section === section) {
      last.times += 1;
      last.bars += bars;
    } else found.push({ section, times: 1, bars });
  }
  return found;
}
