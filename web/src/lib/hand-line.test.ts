import { afterEach, expect, it, vi } from "vitest";

import { handLine } from "./hand-line";

interface Told {
  quiet?: string;
  key?: string;
  since_ms: number;
}

const wait = (ms: number) => new Promise((done) => setTimeout(done, ms));

afterEach(() => vi.restoreAllMocks());

it("says again and again that nothing more has come, so that what is held counts", async () => {
  const told: Told[] = [];
  const say = handLine((message) => told.push(message as Told), "Keys of a page");
  const began = performance.now();
  say({ key: "PageDown", down: true }, began);
  await wait(700);
  say({ key: "PageDown", down: false }, performance.now());
  expect(told[0]).toEqual({ key: "PageDown", down: true, since_ms: 60_000 });
  expect(told.at(-1)).toMatchObject({ key: "PageDown", down: false });
  expect(told.slice(1, -1).every((one) => one.quiet === "Keys of a page")).toBe(true);
  expect(told.length).toBeGreaterThan(3);
  const held = told.slice(1).reduce((sum, one) => sum + one.since_ms, 0);
  expect(held).toBeGreaterThan(690);
  expect(held).toBeLessThan(performance.now() - began + 1);
});

it("tells of a page that stood still how long a key was really down", async () => {
  const told: Told[] = [];
  const say = handLine((message) => told.push(message as Told), "Keys of a page");
  const began = performance.now();
  say({ key: "PageDown", down: true }, began);
  while (performance.now() < began + 600);
  // The browser gives its events before the page's own messages.
  say({ key: "PageDown", down: false }, began + 90);
  await wait(150);
  expect(told[1]).toMatchObject({ key: "PageDown", down: false });
  expect(told[1]?.since_ms).toBeCloseTo(90);
});
