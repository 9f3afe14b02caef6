import { cleanup, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { Interfaces } from "@/api/types";
import { refusal, rig, serve, show } from "@/test/helpers";

import { InterfacePanel } from "./interface-panel";

const found = (name: string, more: object = {}) => ({
  name: name === "Simulated" ? "simulated" : `interface:${name}`,
  title: name,
  outputs: 16,
  rates: [44100, 48000],
  latency_ms: 5.8,
  refused: "",
  ...more,
});
const now = { name: "simulated", outputs: 8, block: 256, buffer: 4, there: true, problem: "", latency_ms: 21.3 };
const interfaces = (more: Partial<Interfaces> = {}): Interfaces => ({
  blocks: [
    { value: 128, ms: 2.7 },
    { value: 256, ms: 5.3 },
  ],
  buffers: [
    { value: 4, ms: 21.3 },
    { value: 8, ms: 42.7 },
  ],
  found: [
    found("Simulated", { outputs: 64 }),
    found("Blue box (ALSA)"),
    found("Old box (ALSA)", { refused: "“Old box” does not run at 48 kHz." }),
  ],
  now,
  ...more,
});

const opened = (answers: Record<string, unknown> = {}, of = rig()) => {
  const asked = serve({ "GET interfaces/": interfaces(), "GET interfaces/now/": { now }, ...answers });
  show(<InterfacePanel rig={of} />);
  return asked;
};

describe("the interface", () => {
  it("is told with its outputs and its delay, and the one that the rig has kept", async () => {
    opened({}, rig({ interface: { name: "interface:Blue box (ALSA)", outputs: 2, block: 256, buffer: 4 } }));
    expect(await screen.findByText("Simulated, 8 outputs")).toBeTruthy();
    expect(screen.getByText("A sound is heard 21 ms after it is given to it.")).toBeTruthy();
    expect(screen.getByRole("status").textContent).toMatch(
      /This rig is for Blue box \(ALSA\), and Simulated is in use/,
    );
  });
  it("says why there is no sound", async () => {
    opened({ "GET interfaces/now/": { now: { ...now, there: false, problem: "“Blue box” is gone." } } });
    expect(await screen.findByText("“Blue box” is gone.")).toBeTruthy();
  });
  it("says that it has fewer outputs than are wired", async () => {
    const wired = (socket: number) =>
      rig({ patches: [{ feed: "h", side: "mono", socket, trim_db: 0, delay_ms: 0, invert: false }] });
    opened({}, wired(9));
    expect((await screen.findByRole("status")).textContent).toMatch(/Simulated has 8 outputs.* higher socket is not/);
    cleanup();
    opened({}, wired(8));
    await screen.findByText("Simulated, 8 outputs");
    expect(screen.queryByRole("status")).toBeNull();
  });
  it("says that the engine is silent", async () => {
    opened({ "GET interfaces/now/": { now: null } });
    expect(await screen.findByText("The engine does not answer.")).toBeTruthy();
  });
  it("is chosen with block and buffer, what they mean in milliseconds, and kept for the rig", async () => {
    const asked = opened({ "POST interfaces/": interfaces({ now: { ...now, name: "interface:Blue box (ALSA)" } }) });
    await userEvent.click(await screen.findByRole("button", { name: "Choose an interface" }));
    const dialog = within(await screen.findByRole("dialog"));
    expect(dialog.getByText("16 outputs · 44.1, 48 kHz · 5.8 ms of its own")).toBeTruthy();
    await userEvent.click(dialog.getByRole("radio", { name: /Blue box/ }));
    await userEvent.selectOptions(dialog.getByLabelText("Asked for at a time"), "128 frames, 2.7 ms");
    await userEvent.selectOptions(dialog.getByLabelText("Kept waiting"), "8 blocks, 42.7 ms");
    await userEvent.click(dialog.getByRole("button", { name: "Use it" }));
    expect(asked.at(-1)).toMatchObject({ method: "POST", path: "interfaces/" });
    expect(asked.find((a) => a.method === "POST")?.body).toEqual({
      rig: "r",
      name: "interface:Blue box (ALSA)",
      outputs: 2,
      block: 128,
      buffer: 8,
    });
    expect(screen.queryByRole("dialog")).toBeNull();
  });
  it("that does not run at our rate cannot be chosen, and says so", async () => {
    opened();
    await userEvent.click(await screen.findByRole("button", { name: "Choose an interface" }));
    const dialog = within(await screen.findByRole("dialog"));
    expect(dialog.getByText("“Old box” does not run at 48 kHz.")).toBeTruthy();
    expect(dialog.getByRole<HTMLInputElement>("radio", { name: /Old box/ }).disabled).toBe(true);
  });
  it("that was refused leaves the dialog as it was", async () => {
    opened({ "POST interfaces/": () => refusal("“Blue box” is not there: plug it in.") });
    await userEvent.click(await screen.findByRole("button", { name: "Choose an interface" }));
    await userEvent.click(await screen.findByRole("radio", { name: /Blue box/ }));
    await userEvent.click(screen.getByRole("button", { name: "Use it" }));
    expect((await screen.findAllByText("“Blue box” is not there: plug it in.")).length).toBeGreaterThan(0);
    expect(screen.getByRole("dialog")).toBeTruthy();
  });
});
