import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { PortNow } from "@/api/types";

import { Card } from "./card";
import { LightsButton } from "./lights-dialog";
import { pagesOf, type Shared } from "./shared";
import { Tile } from "./tile";
import { keyOf } from "@/api/use-hands-line";
import { useControlWords, useDoesWords } from "./words";

interface Props extends Shared {
  port: PortNow;
  page: number;
}

/** A port of the machine or of a page: how it is, and what its controls do. */
export function PortCard({ port, page, ...shared }: Props) {
  const { t } = useTranslation();
  const { hands, hit, picked, pick, names } = shared;
  const [words, controlWords] = [useDoesWords(names), useControlWords()];
  const pages = pagesOf(hands.bindings, port.name);
  const [chosen, setShown] = useState<number | null>(null);
  const shown = Math.min(chosen ?? page, pages);
  const own = hands.bindings.filter(
    (b) => b.control.port === port.name && b.song === null && (b.page === null || b.page === shown),
  );
  return (
    <Card
      name={port.kind === "page" ? t("hands.pageKeys") : port.name}
      tag={useTag(port)}
      bad={port.kind === "gone" || port.flood}
      {...{ pages, page, shown }}
      show={setShown}
      tools={port.out && <LightsButton port={port.name} {...shared} />}
    >
      {own.length === 0 ? (
        <p className="mt-2 text-soft">{t("hands.pressOne")}</p>
      ) : (
        <div className="mt-[10px] grid grid-cols-[repeat(auto-fill,minmax(190px,1fr))] gap-2">
          {own.map((b) => (
            <Tile
              key={b.id}
              binding={b}
              name={controlWords(b.control)}
              words={words(b.does)}
              held={hands.held.includes(b.id)}
              long={b.long ? words(b.long) : undefined}
              hit={hit.has(keyOf(b.control))}
              picked={picked === keyOf(b.control)}
              handlers={{ onClick: () => pick(b.control) }}
            />
          ))}
        </div>
      )}
    </Card>
  );
}

/** How a port is, in a few words. */
function useTag({ kind, heard_s, flood }: PortNow): string {
  const { t } = useTranslation();
  if (kind === "gone") return t("hands.portGone");
  if (flood) return t("hands.flood");
  const heard = heard_s === null ? t("hands.silentYet") : t("hands.heardAgo", { seconds: Math.round(heard_s) });
  return `${t(`hands.kind.${kind}`)} · ${heard}`;
}
