import type { Modifier } from "@dnd-kit/core";

/** A running order has one direction. */
export const restrictToVerticalAxis: Modifier = ({ transform }) => ({ ...transform, x: 0 });
