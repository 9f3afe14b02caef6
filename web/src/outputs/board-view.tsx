import type { TFunction } from "i18next";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useSavedRig } from "@/api/queries";
import type { Feed, Patch, Rig, Side, Socket } from "@/api/types";
import { signed } from "@/lib/format";
import { Menu, MenuCheck, MenuItem, MenuLabel, MenuLine } from "@/ui/menu";
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
  wiresOf,
} from "./board";
import { FeedDialog } from "./feed-dialog";
import { SocketDialog } from "./socket-dialog";
import { sourceName } from "./source-name";
import { type AskedOf, WhyDialog } from "./why-dialog";

interface Held {
  feed: string;
  side: Side;
}

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
  const sources = sourcesOf(feeds);
  const sockets = rig?.sockets ?? [];
  return (
    // Escape lets a wire go, whichever socket or side has the focus.
    // eslint-disable-next-line jsx-a11y/no-static-element-interactions
    <div className="min-h-0 flex-1 overflow-auto" onKeyDown={(e) => e.key === "Escape" && setHeld(null)}>
      <div className="relative" style={{ width: BOARD.socket.x + 280 }}>
        <Headings />
        <div
          className="relative top-[22px]"
          style={{ height: boardHeight(sources.length, feeds.length, sockets.length) }}
          onPointerUp={(e) => drop(socketAt(e.clientX, e.clientY))}
        >
          <Wires feeds={feeds} rig={rig} />
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
    <div key={feed.id}>
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

/** Where a socket leads, with the desk's channel where it has one. */
function socketTitle({ label, printed, desk }: Socket, t: TFunction): string {
  const name = label || printed || t("outputs.unnamed");
  return desk ? t("outputs.atDesk", { desk, name }) : name;
}

interface SocketProps {
  socket: Socket;
  top: number;
  feeds: Feed[];
  patches: Patch[];
  held: Held | null;
  drop: (socket: number) => void;
  wire: (at: Held, socket: number, on: boolean) => void;
  why: () => void;
  open: () => void;
}

function SocketRow({ socket, top, feeds, patches, held, drop, wire, why, open }: SocketProps) {
  const { t } = useTranslation();
  const kept = socket.use === "kept";
  const named = new Map(feeds.map((f) => [f.id, f]));
  const carried = patches.map((p) => {
    const feed = named.get(p.feed);
    const side = p.side === "mono" && feed?.channels === 1 ? "" : ` ${t(`sides.short.${p.side}`)}`;
    return `${feed?.name ?? "?"}${side}`;
  });
  const hole = `flex h-[36px] w-[36px] items-center justify-center rounded-full border-[3px] bg-sheet text-[16px] font-[750] [font-stretch:75%] ${kept ? "border-line text-soft" : held ? "border-brassline" : "border-ink"}`;
  return (
    <div
      data-socket={socket.number}
      className="absolute flex h-[48px] w-[276px] items-center gap-[10px] border-b border-line2"
      style={{ left: BOARD.socket.x - 2, top: top - 24 }}
    >
      {held ? (
        <button
          type="button"
          className={hole}
          aria-label={t("outputs.connectHere", { number: socket.number })}
          onClick={() => drop(socket.number)}
        >
          {socket.number}
        </button>
      ) : (
        <SocketMenu
          socket={socket}
          feeds={feeds}
          patches={patches}
          carried={carried}
          hole={hole}
          wire={wire}
          why={why}
          open={open}
        />
      )}
      <button type="button" className="min-w-0 grow text-left hover:underline" onClick={open}>
        <span className="sr-only">{t("outputs.openSocket", { number: socket.number })} </span>
        <span className="block truncate font-semibold">{socketTitle(socket, t)}</span>
        <span className="small block truncate">
          {kept ? t("outputs.kept") : carried.join(" + ") || t("outputs.nothing")}
        </span>
      </button>
      {!kept && (socket.headphones || !socket.balanced) && (
        <span className="tag">{t(socket.headphones ? "outputs.facts.headphones" : "outputs.unbalanced")}</span>
      )}
    </div>
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

interface SocketMenuProps {
  socket: Socket;
  feeds: Feed[];
  patches: Patch[];
  carried: string[];
  hole: string;
  wire: SocketProps["wire"];
  why: () => void;
  open: () => void;
}

/** What goes out of a socket, wired from a list. */
function SocketMenu({ socket, feeds, patches, carried, hole, wire, why, open }: SocketMenuProps) {
  const { t } = useTranslation();
  return (
    <Menu
      className={hole}
      label={socket.number}
      name={t("outputs.socketMenu", {
        number: socket.number,
        label: socket.label,
        carries: carried.join(", ") || t("outputs.nothing"),
      })}
      align="end"
    >
      <MenuLabel>{t("outputs.carries", { number: socket.number })}</MenuLabel>
      {feeds.flatMap((feed) =>
        [...sidesOf(feed), ...(feed.channels === 2 ? (["mono"] as const) : [])].map((side) => (
          <MenuCheck
            key={`${feed.id}.${side}`}
            checked={patches.some((p) => p.feed === feed.id && p.side === side)}
            onChange={(on) => wire({ feed: feed.id, side }, socket.number, on)}
          >
            {feed.channels === 1 ? feed.name : t("outputs.sideOf", { name: feed.name, side: t(`sides.${side}`) })}
          </MenuCheck>
        )),
      )}
      <MenuLine />
      <MenuItem onSelect={why}>{t("outputs.why.here")}</MenuItem>
      <MenuItem onSelect={open}>{t("outputs.socketMore")}</MenuItem>
    </Menu>
  );
}

function Wires({ feeds, rig }: { feeds: Feed[]; rig: Rig | undefined }) {
  return (
    <svg aria-hidden className="pointer-events-none absolute inset-0 h-full w-full">
      {wiresOf(feeds, rig).map((w) => (
        <path
          key={w.key}
          d={w.path}
          fill="none"
          stroke={`var(--${w.colour})`}
          strokeWidth={2.4}
          strokeDasharray={w.dashed ? "5 4" : undefined}
        />
      ))}
    </svg>
  );
}
