import { useSyncExternalStore } from "react";
import { useTranslation } from "react-i18next";

import { conflicts } from "@/api/conflicts";
import type { Rig, Setlist } from "@/api/types";
import { rigDifferences } from "@/outputs/differences";
import { setlistDifferences } from "@/setlists/differences";
import { ConflictDialog, type Difference } from "@/ui/conflict-dialog";

const DIFFERENCES: Record<string, (old: unknown, now: unknown) => Difference[]> = {
  setlists: (old, now) => setlistDifferences(old as Setlist, now as Setlist),
  rigs: (old, now) => rigDifferences(old as Rig, now as Rig),
};

/** Two people changed a setlist or a rig at once: what is different now, and one's own change once more. */
export function RowConflictDialog() {
  const { t } = useTranslation();
  const conflict = useSyncExternalStore(conflicts.subscribe, conflicts.get);
  if (!conflict) return null;
  const leave = () => conflicts.show(null);
  return (
    <ConflictDialog
      message={conflict.message}
      differences={DIFFERENCES[conflict.list]?.(conflict.old, conflict.now) ?? []}
      yours={t("conflict.yoursHere")}
      leave={leave}
      again={() => {
        leave();
        conflict.again();
      }}
    />
  );
}
