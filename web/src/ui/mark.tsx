/** A rehearsal mark in the colour of its section. */
export function RehearsalMark({ mark, colour, className = "" }: { mark: string; colour: number; className?: string }) {
  return <span className={`rm k${colour} ${className}`}>{mark}</span>;
}

export function Logo() {
  return (
    <svg width={22} height={22} viewBox="0 0 22 22" aria-hidden>
      <path d="M4 4 L4 15 Q4 18 7 16 L17 6" fill="none" stroke="var(--pine)" strokeWidth={2.4} strokeLinecap="round" />
      <circle cx={17.6} cy={5.2} r={2.6} fill="var(--brassline)" />
    </svg>
  );
}
