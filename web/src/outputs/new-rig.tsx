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
  const { create } = useSavedRig();
  const { complain } = useNotices();
  const navigate = useNavigate();
  const [name, setName] = useState("");
  const [count, setCount] = useState(8);
  const make = () =>
    create.mutate(
      {
        name: name.trim(),
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
          make();
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
        <button type="submit" className="btn pri" disabled={create.isPending}>
          {t("outputs.makeRig")}
        </button>
      </form>
    </Dialog>
  );
}
