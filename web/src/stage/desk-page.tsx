import { Ear, EarOff } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Described } from "@/api/types";
import { useNotices } from "@/ui/notices";

import { BesideStage, type Beside } from "./beside-stage";
import { SocketLevel } from "./socket-meter";
import { StageButton } from "./stage-button";

type Socket = Described["sockets"][number];

/** A stand-in for the desk: what arrives on each of its channels, labelled as it is wired, with any of them to be heard. */
export function DeskPage({ port }: { port: number }) {
  const { t } = useTranslation();
  return (
    <BesideStage port={port} title={t("desk.title")}>
      {(beside) => <Desk {...beside} />}
    </BesideStage>
  );
}

/** In the order of the desk's channels; what has none there comes after, in the order of the sockets. */
export function inDeskOrder(sockets: Socket[]): Socket[] {
  const place = ({ desk }: Socket) => (desk ? Number(/\d+/.exec(desk)?.[0] ?? Infinity) : Infinity);
  return [...sockets].sort((a, b) => compared(place(a), place(b)) || a.number - b.number);
}

const compared = (a: number, b: number) => (a === b ? 0 : a < b ? -1 : 1);

function Desk({ show, state, stage }: Beside) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { listening } = stage;
  return (
    <div className="px-4 py-3">
      <p className="mb-3 text-soft">{t("desk.about")}</p>
      <ul aria-label={t("desk.channels")} className="grid grid-cols-[repeat(auto-fill,minmax(168px,1fr))] gap-2">
        {inDeskOrder(show.sockets).map((socket) => {
          const tap = `socket:${socket.number}`;
          const heard = listening === tap;
          return (
            <Channel
              key={socket.number}
              socket={socket}
              level={state.peak?.[socket.number - 1] ?? 0}
              heard={heard}
              hear={() => void stage.listen(heard ? null : tap).catch(complain)}
            />
          );
        })}
      </ul>
    </div>
  );
}

interface ChannelProps {
  socket: Socket;
  level: number;
  heard: boolean;
  hear: () => void;
}

function Channel({ socket, level, heard, hear }: ChannelProps) {
  const { t } = useTranslation();
  const carries = socket.carries.map((c) => {
    const side = c.side === "mono" ? "" : ` ${t(`sides.short.${c.side}`)}`;
    return `${c.name}${side}`;
  });
  const name = socket.label || socket.printed || t("outputs.unnamed");
  const what = socket.use === "kept" ? t("outputs.kept") : carries.join(" + ") || t("outputs.nothing");
  return (
    <li className={`flex flex-col gap-1 border p-2 ${heard ? "border-pine bg-pinebg" : "border-line bg-sheet"}`}>
      <span className="flex items-baseline justify-between gap-2">
        <b className="text-[19px]">
          {socket.desk ? t("desk.channel", { channel: socket.desk }) : t("desk.socketAlone", { number: socket.number })}
        </b>
        <span className="small">{socket.desk ? t("desk.socket", { number: socket.number }) : t("desk.unnamed")}</span>
      </span>
      <span className="truncate font-[650]" title={name}>
        {name}
      </span>
      <span className="small min-h-[2.7em] break-words">{what}</span>
      <span className="grid grid-cols-1">
        <SocketLevel level={level} />
      </span>
      <StageButton
        className="btn mt-1 min-h-[44px]!"
        pressed={heard}
        label={t(heard ? "desk.stopHearing" : "desk.hear", { number: socket.number })}
        onPress={hear}
      >
        {heard ? <Ear size={16} aria-hidden /> : <EarOff size={16} aria-hidden />}
        {t(heard ? "desk.heard" : "desk.listen")}
      </StageButton>
    </li>
  );
}
