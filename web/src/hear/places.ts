import { useSyncExternalStore } from "react";

import type { Place } from "./ears";

/** The place of the song being played, published to subscribers once a frame of the screen. */
export class Places {
  private now: Place | null = null;
  private watchers = new Set<() => void>();

  get = (): Place | null => this.now;
  watch = (watcher: () => void): (() => void) => {
    this.watchers.add(watcher);
    return () => this.watchers.delete(watcher);
  };
  tell(place: Place | null): void {
    this.now = place;
    for (const watcher of this.watchers) watcher();
  }
}

/** The bar being played, 0 for none: changes at bar lines only. */
export const useHeardBar = (places: Places): number => useSyncExternalStore(places.watch, () => places.get()?.bar ?? 0);

/** The beat being heard, counted from 1, of a bar with so many; 0 for none. */
export const useHeardBeat = (places: Places, beats: number): number =>
  useSyncExternalStore(places.watch, () => {
    const place = places.get();
    return place ? Math.min(beats, 1 + Math.floor(place.phase * beats)) : 0;
  });
