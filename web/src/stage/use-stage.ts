import { useCallback, useEffect, useMemo, useRef, useState } from "react";

import { Speaker } from "@/hear/speaker";

import type { Press } from "@/api/edits";
import type { Described, DeviceNow, Joining, PressAnswer } from "@/api/types";

import { BOUNCE_MS, PAGE_KEYS } from "@/generated/core";

import { handLine } from "@/lib/hand-line";

import { type LightSet, usePageMidi } from "@/lib/use-page-midi";

import { type EngineState, isPlaying } from "./engine-state";
import { type Ears, type Keys, type Line, openLine } from "./line";

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

/** What the engine has told last, and since when it says nothing or cannot be heard. */
function useTold() {
  const [state, setState] = useState<EngineState | null>(null);
  const [lost, setLost] = useState<Date | null>(null);
  const [silent, setSilent] = useState<Date | null>(null);
  const tell = useCallback((newest: EngineState) => {
    setLost(null);
    // What was shown when the engine fell silent stays to be read, and is said to be old.
    const gone = newest.status === "silent";
    setSilent((since) => (gone ? (since ?? new Date()) : null));
    setState((before) => (gone && isPlaying(before) ? before : newest));
  }, []);
  const lose = useCallback(() => setLost((since) => since ?? new Date()), []);
  return { state, lost, silent, tell, lose };
}

/** The line to the engine: its states in, presses out, one feed to listen to. It comes back by itself. */
export function useStage(port: number, phone?: string) {
  const { state, lost, silent, tell, lose } = useTold();
  const [show, setShow] = useState<Described | null>(null);
  const [said, setSaid] = useState<Said | null>(null);
  const [joining, setJoining] = useState<Joining | null>(null);
  const [keys, setKeys] = useState<Keys>({ page: [], machine: [] });
  const [devices, setDevices] = useState<DeviceNow[]>([]);
  const socket = useRef<Line | null>(null);
  const bounces = useBounce();
  const send = useCallback((message: unknown) => socket.current?.send(message) ?? false, []);
  const { listening, listen, push, stopListening, silence } = useListening(send);
  const onLight = useLights(send);

  useEffect(() => {
    const ears: Ears = {
      onDescribed: setShow,
      onKeys: setKeys,
      onDevices: setDevices,
      onJoining: setJoining,
      onLight,
      onState: tell,
      onAnswer: (answer) => setSaid(sayingOf(answer)),
      onSound: push,
      onLost: () => {
        lose();
        stopListening();
      },
    };
    const line = openLine(port, ears, phone);
    socket.current = line;
    return () => {
      line.close();
      silence();
    };
  }, [port, phone, tell, lose, onLight, push, stopListening, silence]);

  const press: Press = useCallback(
    (name, args = {}) => {
      if (bounces(JSON.stringify([name, args]))) return;
      if (!send({ press: name, args, made: socket.current?.now() })) setSaid({ text: "", bad: true, at: Date.now() });
    },
    [send, bounces],
  );
  return { state, lost, silent, show, said, press, keys, devices, joining, ...useSaying(send), listen, listening };
}

/** The feed that is heard in this page. */
function useListening(send: (message: unknown) => boolean) {
  const [listening, setListening] = useState<string | null>(null);
  const speaker = useRef<Speaker | null>(null);
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
  const push = useCallback((data: ArrayBuffer) => speaker.current?.push(data), []);
  const stopListening = useCallback(() => setListening(null), []);
  const silence = useCallback(() => speaker.current?.close(), []);
  return { listening, listen, push, stopListening, silence };
}

/** What the page says to the stage besides presses. */
function useSaying(send: (message: unknown) => boolean) {
  return {
    /** A key that the hands have given something to do went down, or up, at a time of the page. */
    key: useMemo(() => {
      const say = handLine((message) => void send(message), PAGE_KEYS);
      return (name: string, down: boolean, at: number) => say({ key: name, down }, at);
    }, [send]),
    /** Says what joined phones may do. */
    askIn: useCallback((what: object) => void send({ joining: what }), [send]),
  };
}

/** Hears the MIDI of this page's own device where that was allowed; gives what sets its lights. */
const useLights = (send: (message: unknown) => void): ((light: LightSet) => void) => usePageMidi(send).light;
