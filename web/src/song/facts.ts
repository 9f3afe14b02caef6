import type { Song } from "@/api/types";
import { grouping } from "@/lib/format";

/** "7/8 2+2+3" or "7/8 (2+2+3)" as the edit wants it; the server says what is wrong with anything else. */
export function meterArgs(text: string): { meter: string; grouping?: string } {
  const [meter = "", ...rest] = text.trim().split(/[\s(]+/);
  const parts = rest.join("").replace(")", "");
  return parts ? { meter, grouping: parts } : { meter };
}

export function meterText(meter: Song["meters"][number] | undefined): string {
  if (!meter) return "";
  const parts = grouping(meter.grouping);
  return parts ? `${meter.meter} ${parts}` : meter.meter;
}
