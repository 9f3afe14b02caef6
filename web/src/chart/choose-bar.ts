import { useEffect } from "react";
import { useSearchParams } from "react-router";

import type { Selection } from "./use-selection";

/** Choose a bar of the chart and bring it into view. */
export function chooseBar(selection: Selection, bar: number) {
  selection.start(bar);
  const cell = document.querySelector<HTMLElement>(`[data-bar="${bar}"]`);
  cell?.scrollIntoView({ block: "center" });
  cell?.focus();
}

/** The bar that the address names (`?bar=12`) is chosen once the chart is `drawn`. */
export function useBarOfAddress(selection: Selection, drawn: boolean) {
  const [query, setQuery] = useSearchParams();
  const bar = Number(query.get("bar"));
  useEffect(() => {
    if (!drawn || !Number.isInteger(bar) || bar < 1) return;
    chooseBar(selection, bar);
    setQuery({}, { replace: true });
  }, [drawn, bar, selection, setQuery]);
}
