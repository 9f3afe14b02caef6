import { useTranslation } from "react-i18next";

import type { Control, Does } from "@/api/types";
import type { PressName } from "@/api/edits";
import { TONE_PARTS } from "@/generated/core";

/** Names of sections, feeds, sounds and stems, by what they are kept by. */
export type Names = ReadonlyMap<string, string>;

/** What a message of a device is named by among the names. */
export const messageKey = ({ device, message }: Record<string, unknown>) => `${String(device)}/${String(message)}`;

/** Presses of which the first that can be taken is made, where they have a name together. */
const BOTH: Record<string, "goOn" | "stepOn" | "vamp" | "house" | "fallback" | "tones"> = {
  "go+resume": "goOn",
  "go+resume+choose": "stepOn",
  "release+ending_tonight": "vamp",
  "pull_house+bring_back": "house",
  "fallback+fallback": "fallback",
  "tones_off+tones_off": "tones",
};

/** What a control does, in words. */
export function useDoesWords(names: Names): (does: Does) => string {
  const { t } = useTranslation();
  const nameOf = (id: string) => names.get(id) ?? t("hands.gone");
  const words = (does: Does): string => {
    switch (does.kind) {
      case "press":
        return pressWords(does.press as PressName, does.args ?? {});
      case "first": {
        const both = BOTH[does.presses.map((p) => p.press).join("+")];
        return both ? t(`hands.both.${both}`) : does.presses.map((p) => words({ ...p, kind: "press" })).join(" · ");
      }
      case "bank":
        return does.bank === "stems"
          ? t(`hands.stemPlace.${does.of ?? "level"}`, { place: does.place + 1 })
          : t(`hands.bankPlace.${does.bank}`, { place: does.place + 1 });
      case "section":
        return t("hands.section", { name: nameOf(does.section) });
      case "page":
        return does.to ? t("hands.pageTo", { page: does.to }) : t(does.by === -1 ? "hands.pageBack" : "hands.pageOn");
      case "level":
        return t("hands.levelOf", { name: partName(does.part) });
    }
  };
  const partName = (part: string) => {
    if (part === "click" || part === "cues") return t(`hands.${part}`);
    const [kind, id] = part.split(":");
    const tone = TONE_PARTS.find((one) => one === kind);
    return tone ? t(`stage.parts.tones.${tone}`, { name: nameOf(id ?? "") }) : nameOf(id ?? "");
  };
  const pressWords = (press: PressName, args: Record<string, unknown>): string => {
    if (press === "say") return t("hands.sayWord", { word: String(args.word) });
    if (press === "fire") return t("hands.fireSound", { name: nameOf(String(args.sound)) });
    if (press === "send") return t("hands.sendMessage", { name: nameOf(messageKey(args)) });
    if (press === "program") return t(args.by === -1 ? "hands.programBack" : "hands.press.program");
    if (press === "ending_tonight") return t(args.ending === "fine" ? "hands.endAfter" : "hands.vamp");
    if (press === "choose") return t(args.by === -1 ? "hands.chooseBack" : "hands.press.choose");
    if (press === "in_out") return t("hands.inOutOf", { name: partName(String(args.part)) });
    return t(`hands.press.${press}`);
  };
  return words;
}

/** Which control it is, in words: its own name on a simulated box, else what it sends. */
export function useControlWords(): (control: Control, printed?: string) => string {
  const { t } = useTranslation();
  return (control, printed) => {
    if (printed) return printed;
    if (control.kind === "key") return t("hands.key", { key: control.key === " " ? t("hands.space") : control.key });
    return t(`hands.control.${control.kind}`, { number: control.number, channel: control.channel });
  };
}

/** The colour of a tile by what it does. */
export function colourOf(does: Does): string {
  const press = does.kind === "press" ? does.press : does.kind === "first" ? (does.presses[0]?.press ?? "") : "";
  if (["pull_house", "bring_back", "stop", "fade_away"].includes(press)) return "k6";
  if (["go", "resume", "begin_again"].includes(press)) return "k1";
  if (["say", "fire", "send"].includes(press) || (does.kind === "bank" && ["palette", "sounds"].includes(does.bank)))
    return "k3";
  if (does.kind === "section" || (does.kind === "bank" && does.bank === "sections")) return "k4";
  return does.kind === "page" ? "k5" : "k2";
}
