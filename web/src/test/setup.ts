import { configure, cleanup } from "@testing-library/react";
import { afterEach, vi } from "vitest";

// The files of one worker share what they import from libraries; our own modules each file has for itself, or what one
// replaces (vi.mock) would be found by none, or by all after it.
vi.resetModules();
await import("@/wording");

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
