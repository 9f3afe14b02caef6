import { useCallback, useEffect, useRef, useState } from "react";

import { Speaker } from "@/hear/speaker";

import type { Press } from "@/api/edits";
import type { PressAnswer } from "@/api/types";

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

/** The line to the engine: its states in, presses out, one feed to listen to. It comes back by itself. */
export function useStage() {
  const [state, setState] = useState<EngineState | null>(null);
  const [said, setSaid] = useState<Said | null>(null);
  const [listening, setListening] = useState<string | null>(null);
  const socket = useRef<Line | null>(null);
  const speaker = useRef<Speaker | null>(null);

  useEffect(() => {
    const line = openLine({
      onState: setState,
      onAnswer: (answer) => setSaid(sayingOf(answer)),
      onSound: (data) => speaker.current?.push(data),
      onLost: () => {
        setState(null);
        setListening(null);
      },
    });
    socket.current = line;
    return () => {
      line.close();
      speaker.current?.close();
    };
  }, []);

  const send = useCallback((message: unknown) => socket.current?.send(message) ?? false, []);
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
      setListening(feed);
      send({ listen: feed });
    },
    [send],
  );
  return { state, said, press, listen, listening };
}
