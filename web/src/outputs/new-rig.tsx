import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";

import { useSavedRig } from "@/api/queries";
import type { RigChange } from "@/api/types";
import { LENGTHS, PHONES, SHAPES } from "@/generated/core";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";
import { useNotices } from "@/ui/notices";

type Shape = NonNullable<Required<RigChange>["shape"]>;

export function NewRig({ onClose, position }: { onClose: () => void; position: number }) {
  const { t } = useTranslation();
  const [name, setName] = useState("");
  const [shape, setShape] = useState<Shape>({ sockets: 8, phones: "none" });
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
          make(name.trim(), shape);
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
        <ShapeFields shape={shape} change={setShape} />
        <button type="submit" className="btn pri" disabled={busy}>
          {t("outputs.makeRig")}
        </button>
      </form>
    </Dialog>
  );
}

/** How many sockets the box has, and what its headphone sockets are. */
function ShapeFields({ shape, change }: { shape: Shape; change: (shape: Shape) => void }) {
  const { t } = useTranslation();
  return (
    <>
      <Labelled label={t("outputs.shape")}>
        <select
          className="field w-[90px]"
          value={shape.sockets}
          onChange={(e) => change({ ...shape, sockets: Number(e.target.value) as Shape["sockets"] })}
        >
          {SHAPES.map((count) => (
            <option key={count}>{count}</option>
          ))}
        </select>
      </Labelled>
      <Labelled label={t("outputs.phones")}>
        <select
          className="field"
          value={shape.phones}
          onChange={(e) => change({ ...shape, phones: e.target.value as Shape["phones"] })}
        >
          {PHONES.map((kind) => (
            <option key={kind} value={kind}>
              {t(`outputs.phoneKinds.${kind}`)}
            </option>
          ))}
        </select>
      </Labelled>
    </>
  );
}

/** Makes a rig of sockets that carry nothing yet, and opens it. */
function useMade(position: number, onClose: () => void) {
  const { create } = useSavedRig();
  const { complain } = useNotices();
  const navigate = useNavigate();
  const make = (name: string, shape: Shape) =>
    create.mutate(
      { name, position, shape },
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
