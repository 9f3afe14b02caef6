import type { TFunction } from "i18next";

import type { SetlistCompared } from "@/api/types";

type Difference = SetlistCompared["differences"][number];

/** One difference of two setlists in words. */
export function comparedText(d: Difference, { titles, forms }: SetlistCompared, t: TFunction): string {
  const title = titles[d.entry] ?? (d.named || t("setlist.interval"));
  if (d.place === null && (d.kind === "added" || d.kind === "moved"))
    return t(`compare.unnumbered.${d.kind}`, { title });
  const value = (v: Difference["now"]) => {
    if (d.kind === "form") return v ? (forms[String(v)] ?? t("compare.formGone")) : t("compare.whole");
    if (d.kind === "link") return t(`link.${String(v) as "wait"}`);
    return v === null || v === "" ? "–" : String(v);
  };
  return t(`compare.kind.${d.kind}`, { title, place: d.place ?? "", was: value(d.was), now: value(d.now) });
}
