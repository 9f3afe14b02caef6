import type { Described } from "@/api/types";

/** Minutes that the show is expected to end before its slot is over (below 0: after it); null where the slot is not known. */
export function toSpare(slot: Described["slot"], now: Date, left_s: number): number | null {
  if (!slot?.starts_at) return null;
  const [hours = 0, minutes = 0] = slot.starts_at.split(":").map(Number);
  const start = new Date(now);
  start.setHours(hours, minutes, 0, 0);
  // A show that begins late in the evening ends tomorrow: the nearest such time of day is meant.
  const half = 12 * 3600e3;
  if (start.getTime() - now.getTime() > half) start.setDate(start.getDate() - 1);
  if (now.getTime() - start.getTime() > half) start.setDate(start.getDate() + 1);
  const end = start.getTime() + slot.minutes * 60e3;
  // Before its time the show has its whole slot.
  const from = Math.max(now.getTime(), start.getTime());
  return Math.round((end - from - 1000 * left_s) / 60e3);
}
