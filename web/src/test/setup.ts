import "@/wording";

import { configure, cleanup } from "@testing-library/react";
import { afterEach, vi } from "vitest";

// What jsdom lacks and Radix asks for.
Element.prototype.releasePointerCapture ??= () => undefined;
Element.prototype.hasPointerCapture ??= () => false;
Element.prototype.scrollIntoView ??= () => undefined;
document.elementFromPoint ??= () => null;
globalThis.ResizeObserver ??= class {
  observe() {}
  unobserve() {}
  disconnect() {}
};

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

// Not a measure of anything: a slow machine shows the same, later.
configure({ asyncUtilTimeout: 4000 });
