import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";

import type { Binding } from "@/api/types";

import { colourOf } from "./words";

interface TileProps {
  binding: Binding | undefined;
  name: string;
  words: string;
  /** Whether it acts once it has been held for a while. */
  held: boolean;
  /** What it does when it is held. */
  long?: string | undefined;
  hit: boolean;
  picked: boolean;
  round?: boolean;
  light?: number | null;
  children?: ReactNode;
  handlers: React.ButtonHTMLAttributes<HTMLButtonElement>;
}

/** A pad or pedal: what it does, how it has to be pressed, whether it is lit and pressed now. */
export function Tile({ binding, name, words, held, long, hit, picked, round, light, handlers }: TileProps) {
  const { t } = useTranslation();
  const marks = binding ? [held && t("hands.held"), long && t("hands.hasLong", { words: long })] : [];
  return (
    <button
      type="button"
      aria-pressed={picked}
      className={`relative flex min-h-[72px] flex-col touch-none border border-l-[5px] border-line px-[10px] py-2 text-left select-none ${binding ? colourOf(binding.does) : ""} ${round ? "rounded-b-[18px]" : ""} ${hit ? "outline-[3px] outline-brassline" : picked ? "outline-2 outline-ink" : ""}`}
      style={binding && { borderLeftColor: "var(--k)", background: "var(--kb)" }}
      {...handlers}
    >
      <span className="small flex justify-between gap-2">
        {name}
        {light !== undefined && (
          <span
            aria-hidden
            className="h-[10px] w-[10px] rounded-full border border-edge"
            style={{
              background: light
                ? `color-mix(in srgb, var(--brassline) ${Math.round(light / 1.27)}%, var(--paper))`
                : "var(--paper)",
            }}
          />
        )}
      </span>
      <b className={`block text-[14px] [font-stretch:85%] ${binding ? "" : "font-normal text-soft"}`}>
        {binding ? words : t("hands.nothingYet")}
      </b>
      <span className="small">{marks.filter(Boolean).join(" · ")}</span>
    </button>
  );
}
