import { useEffect, useState } from "react";

/** What a meter shows as silence, in dBFS. */
export const FLOOR_DB = -60;

/** How far along a meter a level lies, 0 to 1. */
export const alongMeter = (db: number) => Math.max(0, Math.min(1, (db - FLOOR_DB) / -FLOOR_DB));

/** The highest level of the last two seconds, in dB. */
export function useHeldPeak(db: number): number {
  const [held, setHeld] = useState({ db: -Infinity, at: 0 });
  useEffect(() => {
    const now = performance.now();
    setHeld((old) => (db >= old.db || now - old.at > 2000 ? { db, at: now } : old));
  }, [db]);
  return held.db;
}
