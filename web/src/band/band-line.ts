import type { BandShow, BandState, Problem } from "@/api/types";
import { watchContact } from "@/stage/contact";
import { serverClock } from "@/stage/server-clock";

import type { PressName } from "@/api/edits";

export interface PhoneTold {
  name: string;
  right: "nothing" | "own_mix" | "sections" | "everything";
  player: string;
}

interface Received {
  refused?: Problem[];
  pass?: string;
  phone?: PhoneTold;
  show?: BandShow;
  state?: BandState | { status: "silent" };
  answer?: { message?: string; problems?: Problem[] };
  pong?: number;
  now?: number;
  out?: boolean;
}

export interface BandEars {
  onPass: (token: string) => void;
  onPhone: (phone: PhoneTold) => void;
  onShow: (show: BandShow) => void;
  onState: (state: BandState) => void;
  /** Nothing is heard any more, or the engine is silent. */
  onLost: () => void;
  onOut: () => void;
  onSaid: (text: string) => void;
  onRefused: (problem: Problem) => void;
}

const AGAIN_MS = 300;
const PING_MS = 700;
const FIRST_PINGS_MS = [0, 60, 140, 240, 360];
/** Without a word from the server a line is dead, though the network has not said so. */
const DEAD_MS = 3000;

const addressOf = (port: number) =>
  location.protocol === "https:" ? `wss://${location.host}/ws/band/` : `ws://${location.hostname}:${port}/ws/band/`;

/** Passes on what was told. */
function hear(message: Received, ears: BandEars) {
  if (message.pass) ears.onPass(message.pass);
  if (message.phone) ears.onPhone(message.phone);
  if (message.show) ears.onShow(message.show);
  if (message.state) {
    if ("at" in message.state) ears.onState(message.state);
    else ears.onLost();
  }
  if (message.out) ears.onOut();
  if (message.refused?.[0]) ears.onRefused(message.refused[0]);
  if (message.answer) ears.onSaid(message.answer.message ?? message.answer.problems?.[0]?.message ?? "");
}

/** Leaves a line that says nothing more; what it says later is not heard. */
function hangUp(socket: WebSocket) {
  socket.onclose = socket.onmessage = socket.onopen = null;
  socket.close();
}

/** The line of a joined phone; it comes back by itself. `first`: how it says who it is. */
export function openBandLine(port: number, first: () => object, ears: BandEars) {
  let socket: WebSocket;
  let timers: number[] = [];
  const clock = serverClock();
  const send = (message: object) =>
    socket.readyState === WebSocket.OPEN && (socket.send(JSON.stringify(message)), true);
  const ping = () => send({ ping: performance.now() });
  const contact = watchContact((ms) => {
    ears.onLost();
    if (ms > DEAD_MS) openAnew();
  });
  const pings = window.setInterval(ping, PING_MS);
  const take = (message: Received) => {
    contact.heard();
    if (message.pong !== undefined && message.now !== undefined) clock.heard(message.pong, message.now);
    hear(message, ears);
  };
  const open = () => {
    socket = new WebSocket(addressOf(port));
    socket.onopen = () => {
      send(first());
      timers = FIRST_PINGS_MS.map((ms) => window.setTimeout(ping, ms));
    };
    socket.onmessage = ({ data }: MessageEvent<string>) => take(JSON.parse(data) as Received);
    socket.onclose = () => {
      ears.onLost();
      timers.push(window.setTimeout(open, AGAIN_MS));
    };
  };
  const openAnew = () => {
    timers.forEach(clearTimeout);
    hangUp(socket);
    contact.heard();
    open();
  };
  open();
  return {
    now: clock.now,
    press: (name: PressName, args: object = {}) => send({ press: name, args, made: clock.now() }),
    close: () => {
      timers.forEach(clearTimeout);
      contact.stop();
      clearInterval(pings);
      hangUp(socket);
    },
  };
}

export type BandLine = ReturnType<typeof openBandLine>;
