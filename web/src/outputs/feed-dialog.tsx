import { useTranslation } from "react-i18next";

import { useMoreMe } from "@/api/outputs";
import { usePlayers, useSavedFeed } from "@/api/queries";
import type { Feed, FeedChange } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { figure, signed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { DialogFoot, FigureField, Labelled, Tick } from "@/ui/form";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { sourcesOf } from "./board";
import { FeedHear } from "./feed-hear";
import { sourceName } from "./source-name";
import { FeedTone } from "./tone";

interface Props {
  feed: Feed;
  feeds: Feed[];
  /** Asks why it is heard, or not. */
  why: () => void;
  onClose: () => void;
}

/** A feed: its name and kind, and how loud each source is in it. */
export function FeedDialog({ feed, feeds, why, onClose }: Props) {
  const { t } = useTranslation();
  const { save, remove } = useSavedFeed();
  const { complain } = useNotices();
  const change = (part: FeedChange) => save.mutate({ id: feed.id, ...part }, { onError: complain });
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={feed.name} about={t("outputs.feedAbout")}>
      <Facts feed={feed} change={change} />
      {feed.kind === "monitor" && <Mix feed={feed} change={change} />}
      <Sends feed={feed} feeds={feeds} change={change} />
      <FeedTone feed={feed} change={change} />
      <FeedHear feed={feed} />
      <div className="mt-4 flex flex-wrap gap-2">
        <button type="button" className="btn" onClick={why}>
          {t("outputs.why.open")}
        </button>
        {feed.player && <MoreMe feed={feed} />}
      </div>
      <DialogFoot
        remove={t("outputs.deleteFeed")}
        onRemove={() => remove.mutate(feed.id, { onError: complain })}
        onClose={onClose}
      />
    </Dialog>
  );
}

/** Its name, who hears it, mono or stereo, its level. */
function Facts({ feed, change }: Omit<SendsProps, "feeds">) {
  const { t } = useTranslation();
  return (
    <div className="grid grid-cols-2 gap-3">
      <Labelled label={t("outputs.feedName")} wide>
        <Typed value={feed.name} maxLength={LENGTHS.TITLE} onDone={(name) => change({ name })} />
      </Labelled>
      <Labelled label={t("outputs.kind")}>
        <select className="field" value={feed.kind} onChange={(e) => change({ kind: e.target.value as Feed["kind"] })}>
          <option value="house">{t("outputs.houseLong")}</option>
          <option value="monitor">{t("outputs.monitorLong")}</option>
        </select>
      </Labelled>
      <Labelled label={t("outputs.width")}>
        <select className="field" value={feed.channels} onChange={(e) => change({ channels: Number(e.target.value) })}>
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
  );
}

type Send = Feed["sends"][number];

interface SendsProps {
  feed: Feed;
  feeds: Feed[];
  change: (part: FeedChange) => void;
}

/** Whose mix a monitor is, and whether what is alone by hand is heard alone in it. */
function Mix({ feed, change }: Omit<SendsProps, "feeds">) {
  const { t } = useTranslation();
  const players = usePlayers();
  return (
    <>
      <Labelled label={t("outputs.player")} className="mt-3">
        <select
          className="field"
          value={feed.player ?? ""}
          onChange={(e) => change({ player: e.target.value || null })}
        >
          <option value="">{t("outputs.nobodys")}</option>
          {players.data?.map((p) => (
            <option key={p.id} value={p.id}>
              {p.name}
            </option>
          ))}
        </select>
      </Labelled>
      <AloneTick feed={feed} change={change} />
    </>
  );
}

/** What stands in for the player comes forward, and all other music steps back. */
function MoreMe({ feed }: { feed: Feed }) {
  const { t } = useTranslation();
  const players = usePlayers();
  const { complain } = useNotices();
  const more = useMoreMe();
  const name = players.data?.find((p) => p.id === feed.player)?.name ?? "";
  return (
    <button
      type="button"
      className="btn"
      title={t("outputs.moreMeAbout")}
      onClick={() => more.mutate(feed.id, { onError: complain })}
    >
      {t("outputs.moreMe", { name })}
    </button>
  );
}

function AloneTick({ feed, change }: Omit<SendsProps, "feeds">) {
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
  const setSend = (source: string, part: Partial<Send> | null) => {
    const known = feed.sends.find((s) => s.source === source);
    const others = feed.sends.filter((s) => s.source !== source);
    change({ sends: part === null ? others : [...others, { gain_db: 0, ...known, ...part, source }] });
  };
  return (
    <table className="mt-4 w-full">
      <caption className="small pb-1 text-left">{t("outputs.sends")}</caption>
      <tbody>
        {sources.map((source) => (
          <SendRow
            key={source}
            name={sourceName(source, feeds, t)}
            ofFeed={source.startsWith("feed:")}
            send={feed.sends.find((s) => s.source === source)}
            set={(part) => setSend(source, part)}
          />
        ))}
      </tbody>
    </table>
  );
}

interface SendRowProps {
  name: string;
  ofFeed: boolean;
  send: Send | undefined;
  set: (part: Partial<Send> | null) => void;
}

/** One source: in or not, how loud, and of a feed whether before its own level. */
function SendRow({ name, ofFeed, send, set }: SendRowProps) {
  const { t } = useTranslation();
  return (
    <tr className="border-t border-line2">
      <td className="py-1">
        <Tick label={name} checked={send !== undefined} onChange={(on) => set(on ? {} : null)} />
      </td>
      <td className="py-1">
        {send && ofFeed && (
          <label className="small flex items-center gap-1">
            <input
              type="checkbox"
              checked={send.before ?? false}
              aria-label={t("outputs.beforeLevelOf", { name })}
              onChange={(e) => set({ before: e.target.checked })}
            />
            {t("outputs.beforeLevel")}
          </label>
        )}
      </td>
      <td className="w-[110px] py-1 text-right">
        {send && (
          <>
            <Typed
              className="w-[70px] text-right"
              aria-label={t("outputs.sendLevel", { name })}
              value={signed(send.gain_db)}
              inputMode="decimal"
              onDone={(db) => set({ gain_db: figure(db) })}
            />{" "}
            dB
          </>
        )}
      </td>
    </tr>
  );
}
