import { useEffect } from "react";

interface PageKeys {
  undo: () => void;
  redo: () => void;
  startHere?: (() => void) | undefined;
}

/** Ctrl+Z and Ctrl+Shift+Z, and S for "a section starts here", anywhere but in a field, which has keys of its own. */
export function usePageKeys({ undo, redo, startHere }: PageKeys) {
  useEffect(() => {
    const press = (e: KeyboardEvent) => {
      const typing =
        e.target instanceof HTMLElement && e.target.closest("input, textarea, select, [role=dialog], [role=menu]");
      if (typing) return;
      const held = e.ctrlKey || e.metaKey;
      if (held && e.key.toLowerCase() === "z") {
        e.preventDefault();
        if (e.shiftKey) redo();
        else undo();
      } else if (!held && !e.altKey && !e.repeat && e.key.toLowerCase() === "s") startHere?.();
    };
    addEventListener("keydown", press);
    return () => removeEventListener("keydown", press);
  });
}
