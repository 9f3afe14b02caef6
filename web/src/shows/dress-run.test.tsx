import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";

const ears = { state: "idle", hear: vi.fn(), stop: vi.fn() };
vi.mock("@/hear/use-ears", () => ({ useEars: () => ears }));

import type { DressRun } from "@/api/types";
import { serve, setlist, show } from "@/test/helpers";

import { DressRunPage } from "./dress-run-page";

const fault = (key: string, more: Partial<DressRun["faults"][number]> = {}): DressRun["faults"][number] => ({
  key,
  code: "overload",
  severity: "wrong",
  message: `Socket 1 goes over in ${key}.`,
  entry: 2,
  bar: 46,
  socket: 1,
  mend: { kind: "turn_down", of: "s", value: 1.5 },
  seam: null,
  song: "s",
  form: "full",
  left: "",
  by: "",
  ...more,
});

const run = (more: Partial<DressRun> = {}): DressRun => ({
  state: "done",
  progress: 1,
  message: "",
  at: 1_795_000_000,
  seconds: 4260,
  faults: [],
  sockets: [
    { number: 1, true_peak_dbtp: 1.3, entry: 2, bar: 46, carries: "House rhythm" },
    { number: 2, true_peak_dbtp: null, entry: null, bar: null, carries: "Cues" },
  ],
  entries: [
    { id: "a", title: "Tin Moon Waltz", bars: 60, seconds: 180, integrated_lufs: -18, link: "wait", link_seconds: 0, after: 20 }, // prettier-ignore
    { id: "b", title: "Paper Comets", bars: 92, seconds: 240, integrated_lufs: null, link: "wait", link_seconds: 0, after: null }, // prettier-ignore
  ],
  counts: { files: 41, seams: 12, words: 60, messages: 0 },
  changed: [],
  ...more,
});

const made = { id: "w", title: "Thursday", setlist: "l", rig: "r", date: null, line_up: "u", voice: "", setlist_name: "L", rig_name: "R" }; // prettier-ignore

function opened(now: DressRun, more: Record<string, unknown> = {}) {
  const asked = serve({
    "GET shows/": [made],
    "GET setlists/": [setlist({ id: "l" })],
    "GET shows/w/dress-run/": now,
    ...more,
  });
  show(<DressRunPage />, "/setlists/l/dress-run/w", "/setlists/:id/dress-run/:show");
  return asked;
}

describe("the dress run", () => {
  beforeEach(() => {
    ears.state = "idle";
    vi.clearAllMocks();
  });

  it("says what is found, worst first, and what leaves each socket", async () => {
    opened(
      run({ faults: [fault("a"), fault("b", { severity: "look", entry: null, bar: null, song: null, mend: null })] }),
    );
    expect(await screen.findByText("One thing would go wrong, one is worth a look")).toBeTruthy();
    expect(screen.getByText("2 · bar 46", { selector: "span" })).toBeTruthy();
    expect(screen.getByText("the show")).toBeTruthy();
    expect(screen.getByText("+1.3")).toBeTruthy();
    expect(screen.getByText("silent")).toBeTruthy();
    expect(screen.getByText("2 Paper Comets, 4:00: one thing found")).toBeTruthy();
    expect(screen.getByText("20 min")).toBeTruthy();
  });
  it("hears a fault from the bar before it, with who is on, and stops it", async () => {
    opened(run({ faults: [fault("a")] }));
    await userEvent.click(await screen.findByRole("button", { name: /^Hear it/ }));
    expect(ears.hear).toHaveBeenCalledWith({
      song: "s",
      bar: 45,
      form: "full",
      click: false,
      cues: false,
      line_up: "u",
    });
  });
  it("hears a seam by itself, and goes to the page on which it is mended", async () => {
    opened(run({ faults: [fault("a", { code: "seam-heard", severity: "look", seam: ["x", "y"] })] }));
    await userEvent.click(await screen.findByRole("button", { name: /^Hear it/ }));
    expect(ears.hear).toHaveBeenCalledWith(expect.objectContaining({ seam: { old: "x", new: "y" } }));
    expect(screen.getByRole("link", { name: /^Go there/ }).getAttribute("href")).toBe("/songs/s/seams");
  });
  it("mends by a press and shows the run that follows", async () => {
    const asked = opened(run({ faults: [fault("a")] }), {
      "POST shows/w/dress-run/mend/": run({ state: "working", progress: 0.25 }),
    });
    await userEvent.click(await screen.findByRole("button", { name: "Turn the song down 1.5 dB" }));
    expect(await screen.findByText(/played at full speed: 25 %/)).toBeTruthy();
    expect(asked.find((a) => a.method === "POST")?.body).toEqual({ fault: "a" });
  });
  it("leaves a fault with a reason, which is asked for, and takes it up again", async () => {
    const asked = opened(run({ faults: [fault("a")] }), {
      "POST shows/w/dress-run/leave/": ({ body }: { body: { reason: string } }) =>
        run({ faults: [fault("a", { left: body.reason, by: body.reason && "Ines" })] }),
    });
    await userEvent.click(await screen.findByRole("button", { name: /^Leave it:/ }));
    await userEvent.type(screen.getByLabelText("Why"), "The desk limits it");
    await userEvent.click(screen.getByRole("button", { name: "Leave it" }));
    expect(await screen.findByText("Left as it is by Ines: The desk limits it")).toBeTruthy();
    expect(screen.getByText("Nothing would go wrong")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: /^Take it up again/ }));
    await waitFor(() =>
      expect(asked.filter((a) => a.method === "POST").at(-1)?.body).toEqual({ fault: "a", reason: "" }),
    );
  });
  it("offers to run a show that was never run, and to call a run off", async () => {
    const asked = opened(run({ state: "none", at: null, entries: [], sockets: [] }), {
      "POST shows/w/dress-run/": run({ state: "working", progress: 0, at: null }),
      "DELETE shows/w/dress-run/": run({ state: "none", at: null }),
    });
    await userEvent.click(await screen.findByRole("button", { name: "Run it" }));
    await userEvent.click(await screen.findByRole("button", { name: "Call it off" }));
    expect(await screen.findByRole("button", { name: "Run it" })).toBeTruthy();
    expect(asked.map((a) => a.method)).toContain("DELETE");
  });
  it("lists what was edited since the last run", async () => {
    const changed: DressRun["changed"] = [{ kind: "order", song: "", name: "", was: "", now: "", waits: true }];
    opened(run({ changed }));
    expect(await screen.findByText("One change since")).toBeTruthy();
    expect(screen.getByText("The order of the setlist is another")).toBeTruthy();
  });
});
