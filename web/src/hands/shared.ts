import type { useHandsChange } from "@/api/hands";
import type { Binding, Control, Hands } from "@/api/types";

import { keyOf } from "@/api/use-hands-line";
import type { Names } from "./words";

/** What every card of the page needs. */
export interface Shared {
  hands: Hands;
  values: ReadonlyMap<string, number>;
  hit: ReadonlySet<string>;
  /** The control that is looked at, by its key. */
  picked: string | null;
  pick: (control: Control) => void;
  names: Names;
  change: ReturnType<typeof useHandsChange>;
}

/** What a control does for the whole band on a page of pads: its own, or what it does on all pages. */
export function bindingOf(bindings: Binding[], control: Control, page: number): Binding | undefined {
  const own = bindings.filter((b) => b.song === null && keyOf(b.control) === keyOf(control));
  return own.find((b) => b.page === page) ?? own.find((b) => b.page === null);
}

/** How many pages of pads a port has. */
export const pagesOf = (bindings: Binding[], port: string): number =>
  Math.max(1, ...bindings.filter((b) => b.control.port === port).map((b) => b.page ?? 1));
