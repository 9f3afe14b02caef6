import type { TFunction } from "i18next";
import { useTranslation } from "react-i18next";

import type { Feed, Patch, Side, Socket } from "@/api/types";
import { Menu, MenuCheck, MenuItem, MenuLabel, MenuLine } from "@/ui/menu";

import { BOARD, sidesOf } from "./board";

/** A wire in the hand. */
export interface Held {
  feed: string;
  side: Side;
}

/** Where a socket leads, with the desk's channel where it has one. */
function socketTitle({ label, printed, desk }: Socket, t: TFunction): string {
  const name = label || printed || t("outputs.unnamed");
  return desk ? t("outputs.atDesk", { desk, name }) : name;
}

/** What goes out, feed by feed with its side. */
function carriedBy(patches: Patch[], feeds: Feed[], t: TFunction): string[] {
  const named = new Map(feeds.map((f) => [f.id, f]));
  return patches.map((p) => {
    const feed = named.get(p.feed);
    const side = p.side === "mono" && feed?.channels === 1 ? "" : ` ${t(`sides.short.${p.side}`)}`;
    return `${feed?.name ?? "?"}${side}`;
  });
}

interface SocketProps {
  socket: Socket;
  top: number;
  feeds: Feed[];
  patches: Patch[];
  /** Devices, by their names, that hear timecode there. */
  coded: string[];
  held: Held | null;
  drop: (socket: number) => void;
  wire: (at: Held, socket: number, on: boolean) => void;
  why: () => void;
  open: () => void;
}

/** A socket of the box: where it leads, and what it carries. */
export function SocketRow({ socket, top, feeds, patches, coded, held, drop, wire, why, open }: SocketProps) {
  const { t } = useTranslation();
  const kept = socket.use === "kept";
  const carried = [...carriedBy(patches, feeds, t), ...coded.map((name) => t("outputs.timecodeFor", { name }))];
  const hole = `flex h-[36px] w-[36px] items-center justify-center rounded-full border-[3px] bg-sheet text-[16px] font-[750] [font-stretch:75%] ${kept ? "border-line text-soft" : held ? "border-brassline" : "border-ink"}`;
  return (
    <div
      data-socket={socket.number}
      data-wires={`socket:${socket.number}`}
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
