import type { TFunction } from "i18next";

import type { Changes } from "@/api/types";
import { signed } from "@/lib/format";

export type Change = Changes["changes"][number];

/** One thing that differs between two states of a show, in words. */
export const changeText = (c: Change, t: TFunction): string =>
  t(`stage.changes.kind.${c.kind}`, { song: c.song, name: c.name, was: level(c.was), now: level(c.now) });

/** A level as it is read; a name as it is. */
const level = (value: Change["was"]) => (typeof value === "number" ? signed(value, 1, true) : value);
