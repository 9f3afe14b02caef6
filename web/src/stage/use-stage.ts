import { useCallback, useEffect, useRef, useState } from "react";

import { Speaker } from "@/hear/speaker";

import type { Press } from "@/api/edits";
import type { PressAnswer } from "@/api/types";

import type { EngineState } from "./engine-state";

interface Told {
  state?: EngineState;
  answer?: PressAnswer;
}
export interface Said {
  text: string;
  bad: boolean;
  at: number;
}

/** The line to the engine: its states in, presses out, one feed to listen to. It comes back by itself. */
export function useStage() {
  const [state, setState] = useState<EngineState | null>(null);
  const [said, setSaid] = useState<Said | null>(null);
  const [listening, setListening] = useState<string | null>(null);
  const socket = useRef<WebSocket | null>(null);
  const speaker = useRef<Speaker | null>(null);
  const wanted = useRef<string | null>(null);

  useEffect(() => {
    let closed = false;
    let again = 0;
    let timer = 0;
    let frame = 0;
    let unseen = 0;
    let newest: EngineState | null = null;
    const open = () => {
      const line = new WebSocket(`${location.protocol === "https:" ? "wss" : "ws"}://${location.host}/ws/stage/`);
      line.binaryType = "arraybuffer";
      line.onopen = () => (again = 0);
      line.onmessage = ({ data }: MessageEvent<string | ArrayBuffer>) => {
        if (typeof data !== "string") {
          speaker.current?.push(data);
          return;
        }
        const told = JSON.parse(data) as Told;
        if (told.state) {
          // Rendered with the next frame, and acknowledged only then, so that stale states never queue up.
          newest = told.state;
          unseen += 1;
          frame ||= requestAnimationFrame(() => {
            frame = 0;
            setState(newest);
            for (; unseen > 0; unseen--) if (line.readyState === WebSocket.OPEN) line.send('{"seen": true}');
          });
        }
        if (told.answer) {
          const text = told.answer.message ?? told.answer.problems?.map((p) => p.message).join(" ") ?? "";
          setSaid({
            text,
            bad: !told.answer.ok || told.answer.accepted === false || told.answer.late === true,
            at: Date.now(),
          });
        }
      };
      line.onclose = () => {
        if (closed) return;
        cancelAnimationFrame(frame);
        frame = unseen = 0;
        setState(null);
        setListening(null);
        wanted.current = null;
        timer = window.setTimeout(open, Math.min(3000, 250 * 2 ** again++));
      };
      socket.current = line;
    };
    open();
    return () => {
      closed = true;
      clearTimeout(timer);
      socket.current?.close();
      speaker.current?.close();
    };
  }, []);

  const send = useCallback((message: unknown): boolean => {
    if (socket.current?.readyState !== WebSocket.OPEN) return false;
    socket.current.send(JSON.stringify(message));
    return true;
  }, []);
  const press: Press = useCallback(
    (name, args) => {
      if (!send({ press: name, args: args ?? {} })) setSaid({ text: "", bad: true, at: Date.now() });
    },
    [send],
  );
  const listen = useCallback(
    async (feed: string | null) => {
      speaker.current ??= new Speaker();
      if (feed) await speaker.current.open();
      speaker.current.clear();
      wanted.current = feed;
      setListening(feed);
      send({ listen: feed });
    },
    [send],
  );
  return { state, said, press, listen, listening };
}
