import type { TFunction } from "i18next";

import type { Device, Message, MessageShown } from "@/api/types";

export type Says = NonNullable<MessageShown["says"]>;
type Send = Message["send"];

/** A message in words: by the name that its device has it by, else by what it is. */
export function wordsOf(says: Says, name: string, t: TFunction): string {
  switch (says.kind) {
    case "program":
      return name ? `${says.program} · ${name}` : t("messages.says.program", { number: says.program });
    case "controller":
      return name || t("messages.says.controller", { number: says.controller, value: says.value });
    case "note":
      return name || t("messages.says.note", { number: says.note });
    case "osc":
      return name || [says.address, ...says.args].join(" ");
  }
}

/** What a message that is sent by name is, at its device. */
export function meant(send: Send, device: Device | undefined): Says | null {
  if (send.kind !== "named") return send;
  return device?.messages.find((m) => m.id === send.message)?.send ?? null;
}

export const KINDS_OF = { midi: ["program", "controller", "note"], osc: ["osc"], timecode: [] } as const;

/** A message of a kind, as one begins with it. */
export function begun(kind: Says["kind"]): Says {
  switch (kind) {
    case "program":
      return { kind, program: 1, bank: null };
    case "controller":
      return { kind, controller: 7, value: 100, over_beats: null };
    case "note":
      return { kind, note: 60, velocity: 100, beats: 1 };
    case "osc":
      return { kind, address: "/", args: [] };
  }
}

/** The arguments of OSC as they are typed: numbers where they are ones. */
export const argsOf = (text: string): (string | number)[] =>
  text
    .split(/\s+/)
    .filter((one) => one !== "")
    .map((one) => (Number.isNaN(Number(one)) ? one : Number(one)));
