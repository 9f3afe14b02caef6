import { Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useLoopChanges } from "@/api/layers";
import type { OwnLoopChange, ShelfLoop } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { Confirm } from "@/ui/dialog";
import { IconButton } from "@/ui/icon-button";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { KindChoice } from "./kind-choice";

/** An own loop of the shelf: its name and what was measured, to be corrected. */
export function OwnLoop({ loop }: { loop: ShelfLoop }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { save } = useLoopChanges();
  const set = (change: OwnLoopChange) =>
    save.mutateAsync({ code: loop.code, ...change }).then(
      () => true,
      (error) => {
        complain(error);
        return false;
      },
    );
  const of = (what: string) => t("levels.of", { what, name: loop.name });
  return (
    <span className="flex min-w-0 grow flex-wrap items-center gap-1.5">
      <Typed
        className="w-[150px]"
        aria-label={of(t("layers.name"))}
        value={loop.name}
        maxLength={LENGTHS.STEM_NAME}
        onDone={(name) => set({ name })}
      />
      <Typed
        className="w-[42px]"
        inputMode="numeric"
        aria-label={of(t("layers.bars"))}
        value={String(loop.layer.bars)}
        onDone={(bars) => set({ bars: Number(bars) })}
      />
      <span className="small">{t("layers.barsOf", { count: loop.layer.bars })}</span>
      <Typed
        className="w-[54px]"
        aria-label={of(t("layers.meter"))}
        value={loop.layer.meter}
        onDone={(meter) => set({ meter })}
      />
      <span className="small">{t("layers.atTempo", { bpm: Math.round(Number(loop.layer.bpm)) })}</span>
      <KindChoice label={of(t("layers.kind"))} kind={loop.layer.kind} set={(kind) => void set({ kind })} />
      <Remove loop={loop} />
    </span>
  );
}

/** Undo does not bring a loop back: it is asked first. */
function Remove({ loop }: { loop: ShelfLoop }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { remove } = useLoopChanges();
  const [asking, setAsking] = useState(false);
  const label = t("layers.removeOwn", { name: loop.name });
  return (
    <>
      <IconButton icon={Trash2} label={label} onClick={() => setAsking(true)} />
      <Confirm
        open={asking}
        onOpenChange={setAsking}
        title={label}
        about={t("layers.removeOwnAbout")}
        yes={t("layers.removeOwnYes")}
        onYes={() => remove.mutate(loop.code, { onError: complain })}
      />
    </>
  );
}
