import { useState } from "react";

import type { useHandsChange } from "@/api/hands";
import type { BindingAsked, Control, Does, Hands, HandsNow, SignalShown } from "@/api/types";
import { useNotices } from "@/ui/notices";

import { bindingOf, pagesOf } from "./shared";

/** What a control was to do that does something already. */
export interface Clash {
  control: Control;
  does: Does;
}

/** Learning: a control and then what it does, or the other way round; what it does already is asked about. */
export function useLearning(hands: Hands, change: ReturnType<typeof useHandsChange>, now: HandsNow | null) {
  const { complain } = useNotices();
  const [picked, setPicked] = useState<Control | null>(null);
  const [wanted, setWanted] = useState<Does | null>(null);
  const [clash, setClash] = useState<Clash | null>(null);
  const pageOf = (control: Control) => now?.pages[control.port] ?? 1;
  const doesNow = (control: Control) => bindingOf(hands.bindings, control, pageOf(control));
  const bind = (binding: BindingAsked, takeOver = false) =>
    change.mutate({ bind: binding, takeOver }, { onError: complain });
  const learn = (control: Control, does: Does) => {
    setWanted(null);
    setPicked(control);
    if (doesNow(control)) setClash({ control, does });
    else bind({ control, does, page: pagesOf(hands.bindings, control.port) > 1 ? pageOf(control) : null });
  };
  const pick = (control: Control | null) => {
    if (control && wanted) return learn(control, wanted);
    setClash(null);
    setPicked(control);
  };
  return {
    picked,
    pick,
    wanted,
    clash,
    bind,
    doesNow,
    /** Something was chosen that shall be done: by the control that was pressed, or by the one that will be. */
    choose: (does: Does) => (picked ? learn(picked, does) : setWanted(does)),
    forget: () => setWanted(null),
    leave: () => setClash(null),
    takeOver: () => {
      if (clash) bind({ ...clash, page: doesNow(clash.control)?.page ?? null }, true);
      setClash(null);
    },
    onSignal: ({ control, down, value }: SignalShown) => {
      const pressed = control.kind === "controller" || control.kind === "bend" ? value > 0 : down;
      if (pressed) pick(control);
    },
  };
}

export type Learning = ReturnType<typeof useLearning>;
