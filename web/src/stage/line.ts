import type { PressAnswer } from "@/api/types";

import type { EngineState } from "./engine-state";

interface Received {
  state?: EngineState;
  answer?: PressAnswer;
}

interface Ears {
  onState: (state: EngineState) => void;
  onAnswer: (answer: PressAnswer) => void;
  onSound: (data: ArrayBuffer) => void;
  onLost: () => void;
}

export interface Line {
  /** Sends a message; false where there is no contact. */
  send: (message: unknown) => boolean;
  close: () => void;
}

const LONGEST_WAIT_MS = 3000;

/** The WebSocket to the engine; it comes back by itself, each time after a longer wait. */
export function openLine(ears: Ears): Line {
  let socket: WebSocket;
  let closed = false;
  let tries = 0;
  let timer = 0;
  const open = () => {
    socket = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/ws/stage/`);
    socket.binaryType = "arraybuffer";
    const drawn = drawing(socket, ears.onState);
    socket.onopen = () => (tries = 0);
    socket.onmessage = ({ data }: MessageEvent<string | ArrayBuffer>) => {
      if (typeof data !== "string") return ears.onSound(data);
      const { state, answer } = JSON.parse(data) as Received;
      if (state) drawn.next(state);
      if (answer) ears.onAnswer(answer);
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
    send: (message) => {
      if (socket.readyState !== WebSocket.OPEN) return false;
      socket.send(JSON.stringify(message));
      return true;
    },
    close: () => {
      closed = true;
      clearTimeout(timer);
      socket.close();
    },
  };
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
