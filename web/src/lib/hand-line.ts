import { BOUNCE_MS } from "@/generated/core";

/** So long after something has come it is said that nothing more has, and so often: a release is one once it was no bounce. */
const SAID_FOR_MS = 2500;
const EVERY_MS = BOUNCE_MS + 5;
const LONGEST_MS = 60_000;

/**
 * Says what a port of this page gives, with the time since it last said something. How long a control is held is known from that:
 * where the line or the page is held up, its release is late too, and a short press must not become a long one.
 */
export function handLine(send: (message: unknown) => void, port: string) {
  let last = -Infinity;
  let until = -Infinity;
  let timer = 0;
  const tell = (message: object, at: number) => {
    // Timers of a page that is not seen come too seldom to say anything by them.
    send(document.hidden ? message : { ...message, since_ms: Math.min(Math.max(0, at - last), LONGEST_MS) });
    last = Math.max(last, at);
  };
  const quiet = () => {
    // What the page has yet to hear comes before a message that it sends itself.
    const { port1, port2 } = new MessageChannel();
    port1.onmessage = () => {
      port1.close();
      const now = performance.now();
      if (now < until && !document.hidden) tell({ quiet: port }, now);
      if (now < until) timer = window.setTimeout(quiet, EVERY_MS);
    };
    port2.postMessage(null);
  };
  /** Says ``message``, which came at ``at`` (the ``timeStamp`` of its event). */
  return (message: object, at: number) => {
    const now = performance.now();
    tell(message, Math.min(at, now));
    until = now + SAID_FOR_MS;
    clearTimeout(timer);
    timer = window.setTimeout(quiet, EVERY_MS);
  };
}
