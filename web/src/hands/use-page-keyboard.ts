import { useEffect } from "react";

import { PAGE_KEYS } from "@/generated/core";
import { handLine } from "@/lib/hand-line";

/** Keys that page pedals and keypads send, where nothing is typed and no button has the focus. */
const KEYS = /^(Page(Up|Down)|Arrow(Up|Down|Left|Right)|Home|End|F\d+|[a-z0-9])$/;

/** Sends the keys of this page to the ports, so that they can be learned. */
export function usePageKeyboard(send: (message: unknown) => void) {
  useEffect(() => {
    const say = handLine(send, PAGE_KEYS);
    const tell = (down: boolean) => (e: KeyboardEvent) => {
      const busy =
        e.target instanceof HTMLElement && e.target.closest("input, textarea, select, [role=dialog], [role=menu]");
      if (busy || e.repeat || e.ctrlKey || e.metaKey || e.altKey || !KEYS.test(e.key)) return;
      if (down) e.preventDefault();
      say({ key: e.key, down }, e.timeStamp);
    };
    const [down, up] = [tell(true), tell(false)];
    addEventListener("keydown", down);
    addEventListener("keyup", up);
    return () => {
      removeEventListener("keydown", down);
      removeEventListener("keyup", up);
    };
  }, [send]);
}
