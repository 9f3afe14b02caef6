/** A stem's peaks over its whole length, mirrored about the middle; quiet parts are lifted so that they are seen. */
export function Waveform({ sound, muted }: { sound: readonly number[]; muted: boolean }) {
  if (!sound.length) return <span className="col-span-2 h-[20px]" />;
  const up = sound.map((v, i) => `${i} ${(10 - 9 * Math.sqrt(v)).toFixed(1)}`);
  const down = sound.map((v, i) => `${i} ${(10 + 9 * Math.sqrt(v)).toFixed(1)}`).reverse();
  return (
    <svg
      aria-hidden
      viewBox={`0 0 ${sound.length - 1} 20`}
      preserveAspectRatio="none"
      className="col-span-2 mt-[2px] h-[20px] w-full"
    >
      <path d={`M${[...up, ...down].join("L")}Z`} className={muted ? "fill-line" : "fill-pine"} opacity={0.75} />
    </svg>
  );
}
