import type { TFunction } from "i18next";

import type { Feed } from "@/api/types";

/** A send's source in words: a group, click, cues, another feed. */
export function sourceName(id: string, feeds: Feed[], t: TFunction): string {
  const [kind, name = ""] = id.split(":");
  if (kind === "feed") return feeds.find((f) => f.id === name)?.name ?? "?";
  if (kind === "group") return t(`groups.${name as "rhythm"}`);
  if (kind === "stem") return t("outputs.oneStem");
  return t(`outputs.${id as "click"}`);
}
