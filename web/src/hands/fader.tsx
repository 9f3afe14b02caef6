interface Props {
  name: string;
  words: string;
  value: number;
  picked: boolean;
  onMove: (value: number) => void;
}

/** A fader of a simulated box. */
export function Fader({ name, words, value, picked, onMove }: Props) {
  return (
    <label className={`flex flex-col gap-1 border border-line px-2 py-2 ${picked ? "outline-2 outline-ink" : ""}`}>
      <span className="small">{name}</span>
      <b className="min-h-[34px] text-[12px] [font-stretch:85%]">{words}</b>
      <input
        type="range"
        min={0}
        max={127}
        value={value}
        aria-label={`${name}: ${words}`}
        className="w-full accent-[var(--brass)]"
        onChange={(e) => onMove(Number(e.target.value))}
      />
    </label>
  );
}
