import { useTranslation } from "react-i18next";

import { useSavedFeed } from "@/api/queries";
import type { Feed, FeedChange } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { figure, signed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { DialogFoot, FigureField, Labelled } from "@/ui/form";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { sourcesOf } from "./board";
import { sourceName } from "./source-name";

/** A feed: its name and kind, and how loud each source is in it. */
export function FeedDialog({ feed, feeds, onClose }: { feed: Feed; feeds: Feed[]; onClose: () => void }) {
  const { t } = useTranslation();
  const { save, remove } = useSavedFeed();
  const { complain } = useNotices();
  const change = (part: FeedChange) => save.mutate({ id: feed.id, ...part }, { onError: complain });
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={feed.name} about={t("outputs.feedAbout")}>
      <div className="grid grid-cols-2 gap-3">
        <Labelled label={t("outputs.feedName")} wide>
          <Typed value={feed.name} maxLength={LENGTHS.TITLE} onDone={(name) => change({ name })} />
        </Labelled>
        <Labelled label={t("outputs.kind")}>
          <select
            className="field"
            value={feed.kind}
            onChange={(e) => change({ kind: e.target.value as Feed["kind"] })}
          >
            <option value="house">{t("outputs.houseLong")}</option>
            <option value="monitor">{t("outputs.monitorLong")}</option>
          </select>
        </Labelled>
        <Labelled label={t("outputs.width")}>
          <select
            className="field"
            value={feed.channels}
            onChange={(e) => change({ channels: Number(e.target.value) })}
          >
            <option value={1}>{t("stems.mono")}</option>
            <option value={2}>{t("stems.stereo")}</option>
          </select>
        </Labelled>
        <FigureField
          label={t("outputs.level")}
          value={signed(feed.gain_db)}
          onDone={(db) => change({ gain_db: figure(db) })}
        />
      </div>
      {feed.kind === "monitor" && <Alone feed={feed} change={change} />}
      <Sends feed={feed} feeds={feeds} change={change} />
      <DialogFoot
        remove={t("outputs.deleteFeed")}
        onRemove={() => remove.mutate(feed.id, { onError: complain })}
        onClose={onClose}
      />
    </Dialog>
  );
}

interface SendsProps {
  feed: Feed;
  feeds: Feed[];
  change: (part: FeedChange) => void;
}

/** Whether what is alone by hand is heard alone in a monitor. */
function Alone({ feed, change }: Omit<SendsProps, "feeds">) {
  const { t } = useTranslation();
  return (
    <label className="mt-3 flex items-center gap-2">
      <input type="checkbox" checked={feed.alone ?? false} onChange={(e) => change({ alone: e.target.checked })} />
      {t("outputs.alone")}
    </label>
  );
}

/** Every source and other feed: whether it goes into this feed, and how loud. */
function Sends({ feed, feeds, change }: SendsProps) {
  const { t } = useTranslation();
  const sources = [
    ...sourcesOf(feeds).map((s) => s.id),
    ...feeds.filter((f) => f.id !== feed.id).map((f) => `feed:${f.id}`),
  ];
  const setSend = (source: string, gain_db: number | null) =>
    change({
      sends: [...feed.sends.filter((s) => s.source !== source), ...(gain_db === null ? [] : [{ source, gain_db }])],
    });
  return (
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
                      onDone={(db) => setSend(source, figure(db))}
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
  );
}
