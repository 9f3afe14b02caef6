import type { TFunction } from "i18next";

import type { Stem, Tonight } from "@/api/types";

/** What a stem does tonight, in words: "rests: Ozo plays". */
export function standingOf(stem: Stem, tonight: Tonight | undefined, t: TFunction): string {
  const state = tonight?.standing[stem.id] ?? (stem.muted ? (stem.layer ? "waits" : "muted") : "sounds");
  return t(`standing.${state as "sounds"}`, {
    name: stem.covers_name ?? "",
    context: state === "sounds" && stem.purpose === "covers" ? "covering" : undefined,
  });
}

export const silentTonight = (stem: Stem, tonight: Tonight | undefined): boolean =>
  !["sounds", undefined].includes(tonight?.standing[stem.id]);
