import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";

import { useSavedRig } from "@/api/queries";
import { RANGES, LENGTHS } from "@/generated/core";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";
import { useNotices } from "@/ui/notices";

export function NewRig({ onClose, position }: { onClose: () => void; position: number }) {
  const { t } = useTranslation();
  const [name, setName] = useState("");
  const [count, setCount] = useState(8);
  const { make, busy } = useMade(position, onClose);
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("outputs.newRig")}
      about={t("outputs.newRigAbout")}
    >
      <form
        className="flex flex-col gap-3"
        onSubmit={(e) => {
          e.preventDefault();
          make(name.trim(), count);
        }}
      >
        <Labelled label={t("outputs.rigName")}>
          <input
            className="field"
            required
            maxLength={LENGTHS.TITLE}
            value={name}
            onChange={(e) => setName(e.target.value)}
          />
        </Labelled>
        <Labelled label={t("outputs.socketCount")}>
          <input
            className="field w-[80px]"
            type="number"
            min={RANGES.SOCKETS.min}
            max={RANGES.SOCKETS.max}
            required
            value={count}
            onChange={(e) => setCount(Number(e.target.value))}
          />
        </Labelled>
        <button type="submit" className="btn pri" disabled={busy}>
          {t("outputs.makeRig")}
        </button>
      </form>
    </Dialog>
  );
}

/** Makes a rig of sockets that carry nothing yet, and opens it. */
function useMade(position: number, onClose: () => void) {
  const { create } = useSavedRig();
  const { complain } = useNotices();
  const navigate = useNavigate();
  const make = (name: string, count: number) =>
    create.mutate(
      {
        name,
        position,
        sockets: Array.from({ length: count }, (_, i) => ({ number: i + 1 })),
        patches: [],
      },
      {
        onSuccess: (rig) => {
          onClose();
          void navigate(`/outputs/${rig.id}`);
        },
        onError: complain,
      },
    );
  return { make, busy: create.isPending };
}
