import { useTranslation } from "react-i18next";

import type { EditArgs } from "@/api/edits";
import { useFeeds } from "@/api/queries";
import type { Feed, Stem } from "@/api/types";
import { figure, signed } from "@/lib/format";
import { Tick } from "@/ui/form";
import { Typed } from "@/ui/typed";

interface Props {
  stem: Stem;
  set: (args: Omit<EditArgs<"set_stem">, "stem">) => void;
}

/** Where a stem goes: with its group, or to feeds of its own in this song. */
export function StemGoes({ stem, set }: Props) {
  const { t } = useTranslation();
  const feeds = useFeeds();
  const own = stem.feeds;
  // It leaves its group as it is heard now, to be changed from there.
  const asGroup = () =>
    (feeds.data ?? []).flatMap((f) => {
      const send = f.sends.find((s) => s.source === `group:${stem.group}`);
      return send ? [{ feed: f.id, gain_db: send.gain_db }] : [];
    });
  return (
    <fieldset className="col-span-2">
      <legend className="small">{t("stems.goes")}</legend>
      <Tick
        label={t("stems.withGroup")}
        checked={own === null}
        onChange={(on) => set({ feeds: on ? null : asGroup() })}
      />
      {own !== null && (
        <ul className="mt-1">
          {feeds.data?.map((feed) => (
            <Way
              key={feed.id}
              feed={feed}
              db={own.find((f) => f.feed === feed.id)?.gain_db ?? null}
              put={(gain_db) => {
                const others = own.filter((f) => f.feed !== feed.id);
                set({ feeds: gain_db === null ? others : [...others, { feed: feed.id, gain_db }] });
              }}
            />
          ))}
        </ul>
      )}
    </fieldset>
  );
}

/** One feed: whether the stem goes there, and how loud. */
function Way({ feed, db, put }: { feed: Feed; db: number | null; put: (db: number | null) => void }) {
  const { t } = useTranslation();
  return (
    <li className="flex items-center justify-between border-t border-line2 py-1">
      <Tick label={feed.name} checked={db !== null} onChange={(on) => put(on ? 0 : null)} />
      {db !== null && (
        <span>
          <Typed
            className="w-[70px] text-right"
            aria-label={t("outputs.sendLevel", { name: feed.name })}
            value={signed(db)}
            inputMode="decimal"
            onDone={(text) => put(figure(text))}
          />{" "}
          dB
        </span>
      )}
    </li>
  );
}
