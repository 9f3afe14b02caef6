import { useTranslation } from "react-i18next";

import { useSavedFeed } from "@/api/queries";
import type { Feed, FeedChange } from "@/api/types";
import { signed, typed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { sourcesOf } from "./board";
import { sourceName } from "./source-name";
import { LENGTHS } from "@/generated/core";

const number = (text: string) => Number(typed(text));

/** A feed: its name and kind, and how loud each source is in it. */
export function FeedDialog({ feed, feeds, onClose }: { feed: Feed; feeds: Feed[]; onClose: () => void }) {
  const { t } = useTranslation();
  const { save, remove } = useSavedFeed();
  const { complain } = useNotices();
  const change = (part: FeedChange) => save.mutate({ id: feed.id, ...part }, { onError: complain });
  const sources = [
    ...sourcesOf(feeds).map((s) => s.id),
    ...feeds.filter((f) => f.id !== feed.id).map((f) => `feed:${f.id}`),
  ];
  const setSend = (source: string, gain_db: number | null) =>
    change({
      sends: [...feed.sends.filter((s) => s.source !== source), ...(gain_db === null ? [] : [{ source, gain_db }])],
    });
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={feed.name} about={t("outputs.feedAbout")}>
      <div className="grid grid-cols-2 gap-3">
        <label className="col-span-2 flex flex-col gap-1">
          <span className="small">{t("outputs.feedName")}</span>
          <Typed value={feed.name} maxLength={LENGTHS.TITLE} onDone={(name) => change({ name })} />
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("outputs.kind")}</span>
          <select
            className="field"
            value={feed.kind}
            onChange={(e) => change({ kind: e.target.value as Feed["kind"] })}
          >
            <option value="house">{t("outputs.houseLong")}</option>
            <option value="monitor">{t("outputs.monitorLong")}</option>
          </select>
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("outputs.width")}</span>
          <select
            className="field"
            value={feed.channels}
            onChange={(e) => change({ channels: Number(e.target.value) })}
          >
            <option value={1}>{t("stems.mono")}</option>
            <option value={2}>{t("stems.stereo")}</option>
          </select>
        </label>
        <label className="flex flex-col gap-1">
          <span className="small">{t("outputs.level")}</span>
          <Typed value={signed(feed.gain_db)} inputMode="decimal" onDone={(db) => change({ gain_db: number(db) })} />
        </label>
      </div>
      <table className="mt-4 w-full">
        <caption className="small pb-1 text-left">{t("outputs.sends")}</caption>
        <tbody>
          {sources.map((source) => {
            const send = feed.sends.find((s) => s.source === source);
            const name = sourceName(source, feeds, t);
            return (
              <tr key={source} className="border-t border-line2">
                <td className="py-1">
                  <label className="flex items-center gap-2">
                    <input
                      type="checkbox"
                      checked={send !== undefined}
                      onChange={(e) => setSend(source, e.target.checked ? 0 : null)}
                    />
                    {name}
                  </label>
                </td>
                <td className="w-[110px] py-1 text-right">
                  {send && (
                    <>
                      <Typed
                        className="w-[70px] text-right"
                        aria-label={t("outputs.sendLevel", { name })}
                        value={signed(send.gain_db)}
                        inputMode="decimal"
                        onDone={(db) => setSend(source, number(db))}
                      />{" "}
                      dB
                    </>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <div className="mt-5 flex justify-between">
        <button
          type="button"
          className="btn bad"
          onClick={() => {
            remove.mutate(feed.id, { onError: complain });
            onClose();
          }}
        >
          {t("outputs.deleteFeed")}
        </button>
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}
