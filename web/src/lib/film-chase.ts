/** Where a film should be at a moment of `performance.now`, in seconds of the film; null where it is not to be seen. */
export type Wanted = (at: number) => number | null;

/** Farther off than this a film is sent to its place at once; nearer, it goes a little faster or slower until it is there. */
const SEEK_S = 0.3;
const CATCH_UP_S = 0.25;
const [SLOWEST, FASTEST] = [0.5, 1.8];
const LOOK_MS = 60;
/** How long a seek takes before one was measured. */
const FIRST_SEEK_S = 0.08;

interface Chased {
  /** How far the film is off, in its frames; below nought it is behind. */
  onOff: (frames: number) => void;
  /** Whether it is to be seen. */
  onShown: (shown: boolean) => void;
}

/** How fast a film goes that is so many seconds off. */
function pace(off: number, fps: number): number {
  const fair = Math.abs(off) < 0.25 / fps ? 0 : off;
  return Math.min(FASTEST, Math.max(SLOWEST, 1 - fair / CATCH_UP_S));
}

/** Sends a film to a place, ahead by as long as that takes; one at a time. */
function seeking(video: HTMLVideoElement) {
  let lead = FIRST_SEEK_S;
  let sent: number | null = null;
  const seeked = () => {
    if (sent !== null) lead = 0.5 * lead + 0.5 * Math.min(0.5, (performance.now() - sent) / 1000);
    sent = null;
  };
  video.addEventListener("seeked", seeked);
  return {
    under: () => sent !== null,
    to: (at: number) => {
      if (sent !== null) return;
      sent = performance.now();
      video.currentTime = Math.max(0, at + lead);
    },
    end: () => video.removeEventListener("seeked", seeked),
  };
}

/** Has a film follow a clock; gives what ends it. Its frames are measured as the browser shows them. */
export function chase(
  video: HTMLVideoElement,
  { fps, rate }: { fps: number; rate: number },
  wanted: Wanted,
  { onOff, onShown }: Chased,
): () => void {
  const seeks = seeking(video);
  let shown: boolean | null = null;
  let over = false;
  const show = (now: boolean) => {
    if (now !== shown) onShown((shown = now));
  };
  const look = () => {
    const at = wanted(performance.now());
    const inside = at !== null && at >= 0 && !(at >= video.duration);
    show(inside);
    if (!inside) {
      if (!video.paused) video.pause();
      return;
    }
    if (Math.abs(video.currentTime - at) > SEEK_S) seeks.to(at);
    if (video.paused) void video.play().catch(() => undefined);
  };
  const frame = (_: number, { mediaTime, expectedDisplayTime }: VideoFrameCallbackMetadata) => {
    if (over) return;
    const at = wanted(expectedDisplayTime);
    if (at !== null && !seeks.under() && !video.paused) {
      // A frame is right from its own time until that of the next one: its middle is held to the clock.
      const off = mediaTime + 0.5 / fps - at;
      onOff(off * fps);
      if (Math.abs(off) <= SEEK_S) video.playbackRate = rate * pace(off, fps);
    }
    video.requestVideoFrameCallback(frame);
  };
  video.requestVideoFrameCallback(frame);
  const timer = window.setInterval(look, LOOK_MS);
  look();
  return () => {
    over = true;
    clearInterval(timer);
    seeks.end();
    video.pause();
  };
}
