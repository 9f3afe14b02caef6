import type { Song } from "@/api/types";
import { grouping } from "@/lib/format";

export function meterText(meter: Song["meters"][number] | undefined): string {
  if (!meter) return "";
  const parts = grouping(meter.grouping);
  return parts ? `${meter.meter} ${parts}` : meter.meter;
}
