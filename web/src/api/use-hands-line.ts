import { useCallback, useEffect, useRef, useState } from "react";

import type { LightSet } from "@/lib/use-page-midi";

import type { Control, DeviceNow, HandsNow, Problem, SignalShown, StandIn } from "./types";

interface Received {
  hands?: HandsNow;
  signals?: SignalShown[];
  other?: boolean;
  silent?: boolean;
  problems?: Problem[];
  out?: LightSet;
  devices?: DeviceNow[];
  stand_ins?: StandIn[];
}

export type LineState = "opening" | "there" | "silent" | "other" | "lost";

const AGAIN_MS = 500;
const TRY_MS = 1000;
const HIT_MS = 250;

/** One control, as a text to compare by. */
export const keyOf = (c: Control): string => [c.port, c.kind, c.channel, c.number, c.key].join("\n");

const addressOf = (port: number) =>
  location.protocol === "https:" ? `wss://${location.host}/ws/hands/` : `ws://${location.hostname}:${port}/ws/hands/`;

interface Ears {
  /** What is plugged in now. */
  onNow: (now: HandsNow) => void;
  /** A control was pressed, or moved. */
  onSignal: (signal: SignalShown) => void;
  onProblem: (text: string) => void;
  /** A light of a port of this page is to be set. */
  onLight?: (light: LightSet) => void;
  /** How the devices of the loaded show are. */
  onDevices?: (devices: DeviceNow[]) => void;
  /** What came to the simulated receivers. */
  onStandIns?: (all: StandIn[]) => void;
}

/** The line to the ports (none before the stage's own port is known): what is plugged in and pressed, and what boxes and keys of this page send. */
export function useHandsLine(port: number | undefined, ears: Ears) {
  const [line, setLine] = useState<LineState>("opening");
  const [values, setValues] = useState<ReadonlyMap<string, number>>(new Map());
  const [hit, setHit] = useState<ReadonlySet<string>>(new Set());
  const [trying, setTrying] = useState(false);
  const socket = useRef<WebSocket | null>(null);
  const latest = useRef(ears);
  latest.current = ears;
  const take = useCallback(({ hands, signals, other, silent, problems, out, devices, stand_ins }: Received) => {
    if (out) latest.current.onLight?.(out);
    if (devices) latest.current.onDevices?.(devices);
    if (stand_ins) latest.current.onStandIns?.(stand_ins);
    if (hands) latest.current.onNow(hands);
    if (problems) latest.current.onProblem(problems.map((p) => p.message).join(" "));
    setLine(other ? "other" : silent ? "silent" : "there");
    if (!signals) return;
    setValues((before) => new Map([...before, ...signals.map((s) => [keyOf(s.control), s.value] as const)]));
    const keys = signals.filter((s) => s.down).map((s) => keyOf(s.control));
    setHit(new Set(keys));
    if (keys.length) window.setTimeout(() => setHit(new Set()), HIT_MS);
    signals.forEach((s) => latest.current.onSignal(s));
  }, []);
  useEffect(() => {
    if (port === undefined) return;
    let closed = false;
    let timer = 0;
    const open = () => {
      const one = new WebSocket(addressOf(port));
      socket.current = one;
      one.onmessage = ({ data }: MessageEvent<string>) => take(JSON.parse(data) as Received);
      one.onclose = () => {
        if (closed) return;
        setLine("lost");
        timer = window.setTimeout(open, AGAIN_MS);
      };
    };
    open();
    return () => {
      closed = true;
      clearTimeout(timer);
      socket.current?.close();
    };
  }, [port, take]);
  const send = useCallback((message: unknown) => {
    if (socket.current?.readyState === WebSocket.OPEN) socket.current.send(JSON.stringify(message));
  }, []);
  useTrying(trying, send);
  return { line, values, hit, send, trying, setTrying };
}

/** Says again and again that hands are tried, until they are not. */
function useTrying(trying: boolean, send: (message: unknown) => void) {
  useEffect(() => {
    if (!trying) return;
    const again = () => send({ try: true });
    again();
    const timer = setInterval(again, TRY_MS);
    return () => {
      clearInterval(timer);
      send({ try: false });
    };
  }, [trying, send]);
}
