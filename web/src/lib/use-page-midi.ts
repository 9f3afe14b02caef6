import { useCallback, useEffect, useRef, useState } from "react";

import { handLine } from "./hand-line";

/** A message to the lights of a port. */
export interface LightSet {
  port: string;
  data: number[];
}

/** Remembers that the person let pages of this browser hear MIDI. */
const ALLOWED = "page-midi";

/**
 * Ports that this page's browser hears itself: asked for by a press, since the browser asks the person; from then on at once.
 */
export function usePageMidi(send: (message: unknown) => void) {
  const [heard, setHeard] = useState<string[] | null>(null);
  const [refused, setRefused] = useState(false);
  const access = useRef<MIDIAccess | null>(null);
  const listen = useCallback(
    (found: MIDIAccess) => {
      const inputs = [...found.inputs.values()].filter((i) => i.state === "connected");
      found.outputs.forEach((output) => send({ port: (output.name ?? output.id).slice(0, 80), data: [], out: true }));
      inputs.forEach((input) => {
        const port = (input.name ?? input.id).slice(0, 80);
        const say = handLine(send, port);
        input.onmidimessage = ({ data, timeStamp }) => {
          // Clocks and active sensing say nothing about hands.
          if (data && data[0] !== undefined && data[0] < 0xf0) say({ port, data: [...data] }, timeStamp);
        };
      });
      setHeard(inputs.map((i) => i.name ?? i.id));
    },
    [send],
  );
  const ask = useCallback(() => {
    navigator
      .requestMIDIAccess()
      .then((found) => {
        localStorage.setItem(ALLOWED, "yes");
        access.current = found;
        found.onstatechange = () => listen(found);
        listen(found);
      })
      .catch(() => setRefused(true));
  }, [listen]);
  const able = "requestMIDIAccess" in navigator;
  useEffect(() => {
    if (able && localStorage.getItem(ALLOWED)) ask();
  }, [able, ask]);
  useEffect(
    () => () => {
      access.current?.inputs.forEach((input) => (input.onmidimessage = null));
      if (access.current) access.current.onstatechange = null;
    },
    [],
  );
  /** Sets a light of a port that this page has. */
  const light = useCallback(({ port, data }: LightSet) => {
    access.current?.outputs.forEach((output) => {
      if ((output.name ?? output.id).slice(0, 80) === port) output.send(data);
    });
  }, []);
  return { able, heard, refused, ask, light };
}
