/** A row that somebody else changed since it was shown: what it was, what it is, and one's own change once more. */
export interface RowConflict {
  list: string;
  message: string;
  old: unknown;
  now: unknown;
  again: () => void;
}

/** The conflict that waits for a word; one at a time. */
class Conflicts {
  private shown: RowConflict | null = null;
  private listeners = new Set<() => void>();

  get = () => this.shown;
  show = (conflict: RowConflict | null) => {
    this.shown = conflict;
    this.listeners.forEach((tell) => tell());
  };
  subscribe = (tell: () => void) => {
    this.listeners.add(tell);
    return () => void this.listeners.delete(tell);
  };
}

export const conflicts = new Conflicts();
