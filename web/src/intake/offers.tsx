import type { TFunction } from "i18next";
import { useQueryClient } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Offer, Song } from "@/api/types";
import { tempo } from "@/lib/format";
import { useNotices } from "@/ui/notices";

import type { Edit } from "@/api/edits";
import { put } from "@/api/put";

/** What files say of the song: taken with one press, or done without. */
export function Offers({ song, edit }: { song: Song; edit: Edit }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const client = useQueryClient();
  if (!song.offers.length) return null;
  const dismiss = (offer: Offer) =>
    void api<Song>(`songs/${song.id}/offers/${offer.id}/`, "DELETE").then(
      (fresh) => put(client, ["song", song.id], fresh),
      complain,
    );
  return (
    <section aria-label={t("offers.title")} className="mx-5 mb-2">
      <ul className="flex flex-col gap-[5px]">
        {song.offers.map((offer) => (
          <li
            key={offer.id}
            className="flex flex-wrap items-center gap-x-3 gap-y-1 border border-l-4 border-line border-l-slate bg-sheet px-3 py-[5px]"
          >
            <span className="min-w-[240px] grow basis-[300px]">{sentence(offer, t)}</span>
            <span className="flex gap-1">
              <button type="button" className="btn pri" onClick={() => void edit("take_offer", { offer: offer.id })}>
                {t("offers.take")}
              </button>
              <button type="button" className="btn" onClick={() => dismiss(offer)}>
                {t("offers.dismiss")}
              </button>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

function sentence(offer: Offer, t: TFunction): string {
  const source = offer.source;
  if (offer.kind === "tempo_map")
    return t("offers.tempoMap", {
      source,
      bpm: tempo(offer.bpm ?? ""),
      tempos: t("offers.tempos", { count: offer.tempos }),
      meters: t("offers.meters", { count: offer.meters }),
    });
  if (offer.kind === "facts") {
    const facts = [
      offer.title && t("offers.factTitle", { title: offer.title }),
      offer.bpm && t("offers.factTempo", { bpm: tempo(offer.bpm) }),
    ]
      .filter(Boolean)
      .join(", ");
    return t("offers.facts", { source, facts });
  }
  const names = offer.sections.map((s) => t("offers.section", { name: s.name, bar: s.bar })).join(", ");
  const list = t("offers.sections", { source, count: offer.sections.length, names });
  return offer.worst_ms > 20 ? `${list} ${t("offers.worst", { ms: Math.round(offer.worst_ms) })}` : list;
}
