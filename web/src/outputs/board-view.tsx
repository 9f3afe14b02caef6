import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useSavedRig } from "@/api/queries";
import { useDevices } from "@/api/devices";
import type { Feed, Patch, Rig, Side } from "@/api/types";
import { signed } from "@/lib/format";
import { useNotices } from "@/ui/notices";

import {
  BOARD,
  boardHeight,
  feedColour,
  feedY,
  jackY,
  type Source,
  sidesOf,
  socketY,
  sourcesOf,
  sourceY,
} from "./board";
import { FeedDialog } from "./feed-dialog";
import { SocketDialog } from "./socket-dialog";
import { type Held, SocketRow } from "./socket-row";
import { sourceName } from "./source-name";
import { type AskedOf, WhyDialog } from "./why-dialog";
import { Wires } from "./wires";

const isWire = (at: Held, socket: number) => (p: Patch) =>
  p.feed === at.feed && p.side === at.side && p.socket === socket;

/** The patches with one wire drawn or taken out. */
const wired = (patches: Patch[], at: Held, socket: number, on: boolean) => {
  const others = patches.filter((p) => !isWire(at, socket)(p));
  return on ? [...others, { feed: at.feed, side: at.side, socket }] : others;
};

/** The number of the socket under a pointer, 0 where there is none. */
const socketAt = (x: number, y: number) =>
  Number(document.elementFromPoint(x, y)?.closest<HTMLElement>("[data-socket]")?.dataset.socket ?? 0);

/** What sounds, the feeds, the sockets, and the wires between them. */
export function Board({ feeds, rig }: { feeds: Feed[]; rig: Rig | undefined }) {
  const { t } = useTranslation();
  const { held, setHeld, wire, drop } = useWiring(rig);
  const [open, setOpen] = useState<Open>({});
  const { near, handlers } = useNear();
  const sources = sourcesOf(feeds);
  const sockets = rig?.sockets ?? [];
  const coded = useDevices().data?.devices.filter((d) => d.kind === "timecode") ?? [];
  return (
    // Escape lets a wire go, whichever socket or side has the focus.
    // eslint-disable-next-line jsx-a11y/no-static-element-interactions
    <div className="min-h-0 flex-1 overflow-auto" onKeyDown={(e) => e.key === "Escape" && setHeld(null)} {...handlers}>
      <div className="relative" style={{ width: BOARD.socket.x + 280 }}>
        <Headings />
        <div
          className="relative top-[22px]"
          style={{ height: boardHeight(sources.length, feeds.length, sockets.length) }}
          onPointerUp={(e) => drop(socketAt(e.clientX, e.clientY))}
        >
          <Wires feeds={feeds} rig={rig} near={near} />
          {sources.map((source, i) => (
            <SourceBox key={source.id} source={source} index={i} feeds={feeds} />
          ))}
          <FeedBoxes feeds={feeds} held={held} hold={setHeld} open={(feed) => setOpen({ feed })} />
          {sockets.map((socket, i) => (
            <SocketRow
              key={socket.number}
              socket={socket}
              top={socketY(i)}
              feeds={feeds}
              patches={rig?.patches.filter((p) => p.socket === socket.number) ?? []}
              coded={coded.filter((d) => d.socket === socket.number).map((d) => d.name)}
              held={held}
              drop={drop}
              wire={wire}
              why={() => setOpen({ asked: { socket: socket.number } })}
              open={() => setOpen({ socket: socket.number })}
            />
          ))}
        </div>
      </div>
      <p role="status" className="sr-only">
        {held ? t("outputs.held") : ""}
      </p>
      <Opened feeds={feeds} rig={rig} open={open} setOpen={setOpen} />
    </div>
  );
}

/** What one is at that has wires: a source, `feed:ID`, `socket:N`. */
const wiredAt = (target: EventTarget) =>
  target instanceof Element ? (target.closest<HTMLElement>("[data-wires]")?.dataset.wires ?? "") : "";

/** What the pointer or the focus is at, so that its wires stand out. */
function useNear() {
  const [near, setNear] = useState("");
  const at = ({ target }: { target: EventTarget }) => setNear(wiredAt(target));
  const away = () => setNear("");
  return { near, handlers: { onPointerOver: at, onPointerLeave: away, onFocus: at, onBlur: away } };
}

/** What is open: a feed, a socket, or what was asked. */
interface Open {
  feed?: string;
  socket?: number;
  asked?: AskedOf;
}

interface OpenedProps {
  feeds: Feed[];
  rig: Rig | undefined;
  open: Open;
  setOpen: (open: Open) => void;
}

/** The feed or socket that is open, or what is heard at a socket. */
function Opened({ feeds, rig, open, setOpen }: OpenedProps) {
  const opened = feeds.find((f) => f.id === open.feed);
  const openedSocket = rig?.sockets.find((s) => s.number === open.socket);
  const close = () => setOpen({});
  const why = (of: string) => setOpen({ asked: { of } });
  return (
    <>
      {opened && <FeedDialog feed={opened} feeds={feeds} why={() => why(`feed:${opened.id}`)} onClose={close} />}
      {openedSocket && rig && <SocketDialog socket={openedSocket} rig={rig} feeds={feeds} onClose={close} />}
      {open.asked && rig && <WhyDialog rig={rig} feeds={feeds} first={open.asked} onClose={close} />}
    </>
  );
}

/** The wire in the hand, and the wires that are drawn and taken out. */
function useWiring(rig: Rig | undefined) {
  const { save } = useSavedRig();
  const { complain } = useNotices();
  const [held, setHeld] = useState<Held | null>(null);
  const wire = (at: Held, socket: number, on: boolean) => {
    if (rig) save.mutate({ id: rig.id, patches: wired(rig.patches, at, socket, on) }, { onError: complain });
  };
  const drop = (socket: number) => {
    if (!held || !socket) return;
    wire(held, socket, !rig?.patches.some(isWire(held, socket)));
    setHeld(null);
  };
  return { held, setHeld, wire, drop };
}

interface FeedsProps {
  feeds: Feed[];
  held: Held | null;
  hold: (held: Held | null) => void;
  open: (feed: string) => void;
}

/** Every feed with a jack for each of its sides. */
function FeedBoxes({ feeds, held, hold, open }: FeedsProps) {
  return feeds.map((feed, i) => (
    <div key={feed.id} data-wires={`feed:${feed.id}`}>
      <FeedBox feed={feed} index={i} open={() => open(feed.id)} />
      {sidesOf(feed).map((side) => (
        <Jack
          key={side}
          feed={feed}
          index={i}
          side={side}
          on={held?.feed === feed.id && held.side === side}
          hold={hold}
        />
      ))}
    </div>
  ));
}

/** A source at the left: what comes in, in the colour of its wire. */
function SourceBox({ source, index, feeds }: { source: Source; index: number; feeds: Feed[] }) {
  const { t } = useTranslation();
  return (
    <div
      data-wires={source.id}
      className="absolute border border-l-[5px] border-line bg-sheet px-[9px] py-1 font-semibold leading-[30px]"
      style={{
        left: 0,
        top: sourceY(index) - 20,
        width: BOARD.source.width,
        height: BOARD.height,
        borderLeftColor: `var(--${source.colour})`,
      }}
    >
      {sourceName(source.id, feeds, t)}
    </div>
  );
}

/** A feed in the middle: its name and facts, opened by a press. */
function FeedBox({ feed, index, open }: { feed: Feed; index: number; open: () => void }) {
  const { t } = useTranslation();
  return (
    <button
      type="button"
      className="absolute border border-l-[5px] border-line bg-sheet px-[9px] py-1 text-left font-semibold leading-[16px] hover:border-edge"
      style={{
        left: BOARD.feed.x,
        top: feedY(index) - 22,
        width: BOARD.feed.width,
        height: 44,
        borderLeftColor: `var(--${feedColour(feed)})`,
      }}
      onClick={open}
    >
      <span className="block truncate pr-7">
        <span className="sr-only">{t("outputs.feed")} </span>
        {feed.name}
      </span>
      <span className="small block font-normal! leading-[15px]">
        {t("outputs.feedFacts", {
          kind: t(`outputs.${feed.kind}`),
          width: t(feed.channels === 1 ? "stems.mono" : "stems.stereo"),
          gain: signed(feed.gain_db),
        })}
      </span>
    </button>
  );
}

interface JackProps {
  feed: Feed;
  index: number;
  side: Side;
  on: boolean;
  hold: (held: Held | null) => void;
}

/** One side of a feed, from which a wire is drawn. */
function Jack({ feed, index, side, on, hold }: JackProps) {
  const { t } = useTranslation();
  return (
    <button
      type="button"
      className={`absolute flex h-[20px] w-[26px] cursor-crosshair items-center justify-center rounded-[3px] border text-[11px] font-bold ${on ? "border-ink bg-ink text-paper" : "border-edge bg-paper text-ink"}`}
      style={{ left: BOARD.feed.x + BOARD.feed.width - 30, top: jackY(index, side) - 10 }}
      aria-pressed={on}
      aria-label={t("outputs.holdSide", { name: feed.name, side: t(`sides.${side}`) })}
      onPointerDown={(e) => {
        e.currentTarget.releasePointerCapture(e.pointerId);
        hold(on ? null : { feed: feed.id, side });
      }}
      onKeyDown={(e) =>
        (e.key === "Enter" || e.key === " ") && (e.preventDefault(), hold(on ? null : { feed: feed.id, side }))
      }
    >
      {t(`sides.short.${side}`)}
    </button>
  );
}

function Headings() {
  const { t } = useTranslation();
  return (
    <>
      <h2 className="absolute top-0" style={{ left: 0 }}>
        {t("outputs.sources")}
      </h2>
      <h2 className="absolute top-0" style={{ left: BOARD.feed.x }}>
        {t("outputs.feeds")}
      </h2>
      <h2 className="absolute top-0" style={{ left: BOARD.socket.x }}>
        {t("outputs.sockets")}
      </h2>
    </>
  );
}
