import { useCallback, useEffect, useMemo, useRef, useState } from "react";

import type { BandShow, BandState } from "@/api/types";

import { type BandLine, openBandLine, type PhoneTold } from "./band-line";

const PASS = "band-pass";
const NAME = "band-name";

export interface Asked {
  code: string;
  name: string;
}

export const lastName = () => localStorage.getItem(NAME) ?? "";

/** What the stage's server has told a phone last. */
function useBandTold() {
  const [phone, setPhone] = useState<PhoneTold | null>(null);
  const [show, setShow] = useState<BandShow | null>(null);
  const [state, setState] = useState<BandState | null>(null);
  const [lost, setLost] = useState<Date | null>(null);
  const [said, setSaid] = useState("");
  const ears = useMemo(
    () => ({
      onPhone: setPhone,
      onShow: setShow,
      onState: (newest: BandState) => {
        setLost(null);
        setState(newest);
      },
      onLost: () => setLost((since) => since ?? new Date()),
      onSaid: setSaid,
    }),
    [],
  );
  const forget = useCallback(() => {
    setPhone(null);
    setShow(null);
    setState(null);
    setLost(null);
  }, []);
  return { phone, show, state, lost, said, ears, forget };
}

/** What keeps a phone out of the show, and not only one of its presses. */
const KEEPS_OUT = /^(code|pass|phones)-/;

/** A phone in the show: whether it has joined, who it is, the show, and where it is. */
export function useBand(port: number) {
  const [token, setToken] = useState(() => localStorage.getItem(PASS));
  const [asked, setAsked] = useState<Asked | null>(null);
  const [refused, setRefused] = useState("");
  const [line, setLine] = useState<BandLine | null>(null);
  const { ears, forget, ...told } = useBandTold();
  const pass = useRef(token);
  const joining = token !== null || asked !== null;
  useEffect(() => {
    if (!joining) return;
    const leave = (why: string) => {
      localStorage.removeItem(PASS);
      pass.current = null;
      setToken(null);
      setAsked(null);
      forget();
      setRefused(why);
    };
    const first = () => (pass.current ? { pass: pass.current } : { join: asked?.code, name: asked?.name });
    const opened = openBandLine(port, first, {
      ...ears,
      onPass: (given) => {
        localStorage.setItem(PASS, given);
        localStorage.setItem(NAME, asked?.name ?? "");
        pass.current = given;
        setToken(given);
        setRefused("");
      },
      onOut: () => leave("out"),
      onRefused: ({ code, message }) => (KEEPS_OUT.test(code) ? leave(message) : ears.onSaid(message)),
    });
    setLine(opened);
    return () => {
      opened.close();
      setLine(null);
    };
  }, [port, joining, asked, ears, forget]);
  return { ...told, joined: told.phone !== null, token, refused, line, join: setAsked };
}

export type Band = ReturnType<typeof useBand>;
