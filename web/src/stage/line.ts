import type { Described, DeviceNow, Joining, PressAnswer } from "@/api/types";

import type { LightSet } from "@/lib/use-page-midi";

import type { EngineState } from "./engine-state";
import { watchContact } from "./contact";
import { serverClock } from "./server-clock";

interface Received {
  state?: EngineState;
  answer?: PressAnswer;
  described?: Described;
  keys?: Keys;
  devices?: DeviceNow[];
  joining?: Joining | null;
  out?: LightSet;
  pong?: number;
  now?: number;
}

/** Keys that the band's hands have given something to do: those of pages, and those that the machine reads itself. */
export interface Keys {
  page: string[];
  machine: string[];
}

export interface Ears {
  onKeys: (keys: Keys) => void;
  /** How those are that get messages. */
  onDevices: (devices: DeviceNow[]) => void;
  onJoining: (joining: Joining | null) => void;
  /** A light of a port of this page is to be set. */
  onLight: (light: LightSet) => void;
  onDescribed: (show: Described) => void;
  onState: (state: EngineState) => void;
  onAnswer: (answer: PressAnswer) => void;
  onSound: (data: ArrayBuffer) => void;
  onLost: () => void;
}

export interface Line {
  /** Sends a message; false where there is no contact. */
  send: (message: unknown) => boolean;
  /** The server's clock in ms, as far as it is known; undefined before its first answer. */
  now: () => number | undefined;
  close: () => void;
}

const LONGEST_WAIT_MS = 500;
const BEAT_MS = 300;

/** Where the stage's server listens: on a port of its own, or behind the proxy that encrypts. */
function addressOf(port: number, phone: string | undefined): string {
  const host = location.protocol === "https:" ? `wss://${location.host}` : `ws://${location.hostname}:${port}`;
  return `${host}/ws/stage/${phone ? `?${new URLSearchParams({ phone })}` : ""}`;
}

/** The WebSocket to the stage's server; it comes back by itself, each time after a longer wait. `phone`: a joined phone's pass. */
export function openLine(port: number, ears: Ears, phone?: string): Line {
  let socket: WebSocket;
  let closed = false;
  let tries = 0;
  let timer = 0;
  const clock = serverClock();
  const beat = () => {
    if (socket.readyState === WebSocket.OPEN) socket.send(JSON.stringify({ ping: performance.now() }));
  };
  const beats = window.setInterval(beat, BEAT_MS);
  // A server that hangs keeps its socket open: what it said last is no longer true.
  const contact = watchContact(ears.onLost);
  const open = () => {
    socket = new WebSocket(addressOf(port, phone));
    socket.binaryType = "arraybuffer";
    const drawn = drawing(socket, ears.onState);
    socket.onopen = () => ((tries = 0), beat());
    socket.onmessage = ({ data }: MessageEvent<string | ArrayBuffer>) => {
      contact.heard();
      if (typeof data !== "string") return ears.onSound(data);
      const told = JSON.parse(data) as Received;
      if (told.pong !== undefined && told.now !== undefined) clock.heard(told.pong, told.now);
      if (told.state) drawn.next(told.state);
      hear(told, ears);
    };
    socket.onclose = () => {
      if (closed) return;
      drawn.stop();
      ears.onLost();
      timer = window.setTimeout(open, Math.min(LONGEST_WAIT_MS, 250 * 2 ** tries++));
    };
  };
  open();
  return {
    now: clock.now,
    send: (message) => {
      if (socket.readyState !== WebSocket.OPEN) return false;
      socket.send(JSON.stringify(message));
      return true;
    },
    close: () => {
      closed = true;
      clearTimeout(timer);
      clearInterval(beats);
      contact.stop();
      socket.close();
    },
  };
}

/** Passes on what was told besides states. */
function hear({ answer, described, keys, devices, joining, out }: Received, ears: Ears) {
  if (keys) ears.onKeys(keys);
  if (devices) ears.onDevices(devices);
  if (out) ears.onLight(out);
  if (joining !== undefined) ears.onJoining(joining);
  if (described) ears.onDescribed(described);
  if (answer) ears.onAnswer(answer);
}

/** Shows the newest state with the next frame, and acknowledges only then, so that stale states never queue up. */
function drawing(socket: WebSocket, show: (state: EngineState) => void) {
  let newest: EngineState;
  let frame = 0;
  let unseen = 0;
  const draw = () => {
    frame = 0;
    show(newest);
    for (; unseen > 0; unseen--) if (socket.readyState === WebSocket.OPEN) socket.send('{"seen": true}');
  };
  return {
    next: (state: EngineState) => {
      newest = state;
      unseen += 1;
      frame ||= requestAnimationFrame(draw);
    },
    stop: () => cancelAnimationFrame(frame),
  };
}
