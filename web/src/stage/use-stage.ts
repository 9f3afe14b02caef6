import { useCallback, useEffect, useRef, useState } from "react";

import { Speaker } from "@/hear/speaker";

import type { Press } from "@/api/edits";
import type { Described, PressAnswer } from "@/api/types";

import { BOUNCE_MS } from "@/generated/core";

import type { EngineState } from "./engine-state";
import { type Line, openLine } from "./line";

export interface Said {
  text: string;
  bad: boolean;
  at: number;
}

/** What the engine answered to a press, as a sentence and whether it was refused. */
function sayingOf(answer: PressAnswer): Said {
  return {
    text: answer.message ?? answer.problems?.map((p) => p.message).join(" ") ?? "",
    bad: !answer.ok || answer.accepted === false || answer.late === true,
    at: Date.now(),
  };
}

/** Whether a press is the bounce of the one before: a worn pedal or a trembling finger hits twice. */
function useBounce(): (what: string) => boolean {
  const hit = useRef({ what: "", at: -Infinity });
  return useCallback((what) => {
    const now = performance.now();
    if (hit.current.what === what && now - hit.current.at < BOUNCE_MS) return true;
    hit.current = { what, at: now };
    return false;
  }, []);
}

/** The line to the engine: its states in, presses out, one feed to listen to. It comes back by itself. */
export function useStage(port: number) {
  const [state, setState] = useState<EngineState | null>(null);
  const [lost, setLost] = useState<Date | null>(null);
  const [show, setShow] = useState<Described | null>(null);
  const [said, setSaid] = useState<Said | null>(null);
  const [listening, setListening] = useState<string | null>(null);
  const socket = useRef<Line | null>(null);
  const speaker = useRef<Speaker | null>(null);
  const bounces = useBounce();

  useEffect(() => {
    const line = openLine(port, {
      onDescribed: setShow,
      onState: (newest) => {
        setState(newest);
        setLost(null);
      },
      onAnswer: (answer) => setSaid(sayingOf(answer)),
      onSound: (data) => speaker.current?.push(data),
      onLost: () => {
        setLost((since) => since ?? new Date());
        setListening(null);
      },
    });
    socket.current = line;
    return () => {
      line.close();
      speaker.current?.close();
    };
  }, [port]);

  const send = useCallback((message: unknown) => socket.current?.send(message) ?? false, []);
  const press: Press = useCallback(
    (name, args) => {
      if (bounces(JSON.stringify([name, args ?? {}]))) return;
      if (!send({ press: name, args: args ?? {}, made: socket.current?.now() }))
        setSaid({ text: "", bad: true, at: Date.now() });
    },
    [send, bounces],
  );
  const listen = useCallback(
    async (feed: string | null) => {
      speaker.current ??= new Speaker();
      if (feed) await speaker.current.open();
      speaker.current.clear();
      setListening(feed);
      send({ listen: feed });
    },
    [send],
  );
  return { state, lost, show, said, press, listen, listening };
}
