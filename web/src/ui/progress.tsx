interface Props {
  /** What is under way: read aloud. */
  label: string;
  /** How much of it is done, 0 to 1. */
  done: number;
  className?: string;
}

/** A bar of how far something is. */
export const Progress = ({ label, done, className = "h-2 min-w-0 grow" }: Props) => (
  <progress className={`accent-pine ${className}`} max={1} value={done} aria-label={label} />
);
