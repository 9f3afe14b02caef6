import { useEffect, useRef } from "react";

import { chase, type Wanted } from "./film-chase";

interface Props {
  address: string;
  fps: number;
  /** How fast it runs where nothing is to be caught up with. */
  rate?: number;
  wanted: Wanted;
  label: string;
  className?: string;
}

/** A film that follows a clock, without its sound; black while it is not to be seen. */
export function ChasedFilm({ address, fps, rate = 1, wanted, label, className = "" }: Props) {
  const video = useRef<HTMLVideoElement>(null);
  const latest = useRef(wanted);
  latest.current = wanted;
  useEffect(() => {
    const element = video.current;
    if (!element || typeof element.requestVideoFrameCallback !== "function") return;
    return chase(element, { fps, rate }, (at) => latest.current(at), {
      onOff: (frames) => (element.dataset.off = frames.toFixed(2)),
      onShown: (shown) => (element.style.visibility = shown ? "visible" : "hidden"),
    });
  }, [address, fps, rate]);
  return (
    <video
      ref={video}
      src={address}
      muted
      playsInline
      preload="auto"
      aria-label={label}
      className={className}
      style={{ visibility: "hidden" }}
    />
  );
}
