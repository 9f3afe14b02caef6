import type { LucideIcon } from "lucide-react";

interface Props {
  /** What it does: read aloud, and shown when the pointer rests on it. */
  label: string;
  icon: LucideIcon;
  size?: number;
  disabled?: boolean;
  onClick: () => void;
}

/** A button that shows a sign alone. */
export const IconButton = ({ label, icon: Icon, size = 14, disabled, onClick }: Props) => (
  <button type="button" className="btn bare" aria-label={label} title={label} disabled={disabled} onClick={onClick}>
    <Icon size={size} aria-hidden />
  </button>
);
