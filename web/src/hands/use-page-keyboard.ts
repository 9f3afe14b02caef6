import { useEffect } from "react";

/** Keys that page pedals and keypads send, where nothing is typed and no button has the focus. */
const KEYS = /^(Page(Up|Down)|Arrow(Up|Down|Left|Right)|Home|End|F\d+|[a-z0-9])$/;

/** Sends the keys of this page to the ports, so that they can be learned. */
export function usePageKeyboard(send: (message: unknown) => void) {
  useEffect(() => {
    const tell = (down: boolean) => (e: KeyboardEvent) => {
      const busy =
        e.target instanceof HTMLElement && e.target.closest("input, textarea, select, [role=dialog], [role=menu]");
      if (busy || e.repeat || e.ctrlKey || e.metaKey || e.altKey || !KEYS.test(e.key)) return;
      if (down) e.preventDefault();
      send({ key: e.key, down });
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
