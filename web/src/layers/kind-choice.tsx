import { useTranslation } from "react-i18next";

import type { ShelfLoop } from "@/api/types";

type Kind = ShelfLoop["layer"]["kind"];
const KINDS: Kind[] = ["struck", "tonal", "held"];

/** How a loop follows the tempo. */
export function KindChoice({ label, kind, set }: { label: string; kind: Kind; set: (kind: Kind) => void }) {
  const { t } = useTranslation();
  return (
    <select className="field" aria-label={label} value={kind} onChange={(e) => set(e.target.value as Kind)}>
      {KINDS.map((one) => (
        <option key={one} value={one}>
          {t(`layers.kind_${one}`)}
        </option>
      ))}
    </select>
  );
}
