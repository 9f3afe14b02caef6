import type { Section } from "@/api/types";

/** The section as far as a step plays it: `bars` from its bar `first` on, all that are left without. */
export function partOf({ first = 1, bars }: { first?: number; bars?: number }, section: Section): Section {
  const begins = Math.min(first, section.bars);
  const left = section.bars - begins + 1;
  return { ...section, first_bar: section.first_bar + begins - 1, bars: Math.min(bars ?? left, left) };
}
