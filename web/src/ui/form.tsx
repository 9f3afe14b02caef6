import type { ComponentProps, ReactNode } from "react";
import { useTranslation } from "react-i18next";

import { Typed } from "./typed";

interface LabelledProps {
  label: string;
  /** Over two columns of the grid it stands in. */
  wide?: boolean;
  className?: string;
  children: ReactNode;
}

/** A control under its label. */
export function Labelled({ label, wide, className = "", children }: LabelledProps) {
  return (
    <label className={`flex flex-col gap-1 ${wide ? "col-span-2" : ""} ${className}`}>
      <span className="small">{label}</span>
      {children}
    </label>
  );
}

/** A control after its label, in one line. */
export function Beside({ label, children }: { label: string; children: ReactNode }) {
  return (
    <label className="flex items-center gap-2">
      <span className="small">{label}</span>
      {children}
    </label>
  );
}

/** A decimal figure under its label; the text is given once it is done. */
export function FigureField({ label, ...typed }: { label: string } & ComponentProps<typeof Typed>) {
  return (
    <Labelled label={label}>
      <Typed inputMode="decimal" {...typed} />
    </Labelled>
  );
}

interface TickProps {
  label: string;
  checked: boolean;
  onChange: (on: boolean) => void;
}

/** A box to tick, and what it means. */
export function Tick({ label, checked, onChange }: TickProps) {
  return (
    <label className="flex items-center gap-2">
      <input type="checkbox" checked={checked} onChange={(e) => onChange(e.target.checked)} />
      {label}
    </label>
  );
}

interface DialogFootProps {
  remove: string;
  onRemove: () => void;
  onClose: () => void;
}

/** The foot of a dialog about one thing: what takes the thing away, and what is done with it. */
export function DialogFoot({ remove, onRemove, onClose }: DialogFootProps) {
  const { t } = useTranslation();
  return (
    <div className="mt-5 flex justify-between">
      <button
        type="button"
        className="btn bad"
        onClick={() => {
          onRemove();
          onClose();
        }}
      >
        {remove}
      </button>
      <button type="button" className="btn pri" onClick={onClose}>
        {t("common.done")}
      </button>
    </div>
  );
}
