import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it } from "vitest";

import type { Level } from "@/api/types";
import { refusal, serve, showSong, song, stem } from "@/test/helpers";

const level = (more: Partial<Level> = {}): Level => ({
  state: "done",
  progress: 1,
  message: "",
  gain_db: 0,
  own: false,
  lufs: -21,
  peak_dbtp: -4,
  target: -18,
  proposal: { gain_db: 3, lufs: -18, peak_dbtp: -1, short_db: 0 },
  seconds: 32,
  step_s: 0.5,
  steps: [],
  short_term: [],
  ...more,
});

function opened(more: Record<string, unknown> = {}, of = song({ stems: [stem("Bass"), stem("Organ")] })) {
  const asked = serve({
    "GET songs/s/": of,
    "GET songs/": [],
    "GET songs/s/chart/*": { bars: [], calls: [], seconds: 32, form_bars: 16 },
    "GET songs/s/level/*": level(),
    "GET songs/s/tonight/*": { standing: {}, gaps: [], looks: [], empty: [] },
    "GET uploads/*": [],
    "GET line-ups/": [],
    "GET usual-stems/": [],
    "POST songs/s/edits/": { id: "s", revision: 8 },
    ...more,
  });
  showSong("levels");
  return asked;
}
const edits = (asked: ReturnType<typeof serve>) =>
  asked.filter((a) => a.path.endsWith("/edits/")).map(({ body }) => body as { do: string; args: object });

describe("how loud a song is", () => {
  beforeEach(() => localStorage.clear());

  it("says how far it is from the target, and takes the gain in one press", async () => {
    const asked = opened();
    expect(await screen.findByText(/3.0 LU under the target/)).toBeTruthy();
    expect(screen.getByText("true peak −4.0 dBTP")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Make it +3.0 dB" }));
    await waitFor(() => expect(edits(asked)).toMatchObject([{ do: "set_level", args: { gain_db: 3 } }]));
  });
  it("asks the worker where nobody has, and says that it measures", async () => {
    const asked = opened({
      "GET songs/s/level/*": level({ state: "none", lufs: null, peak_dbtp: null, proposal: null }),
      "POST songs/s/level/*": level({ state: "working", lufs: null, peak_dbtp: null, proposal: null }),
    });
    expect(await screen.findByText("measuring …")).toBeTruthy();
    expect(asked.some((a) => a.method === "POST" && a.path.startsWith("songs/s/level/"))).toBe(true);
  });
  it("brings the target back that stood there where the typed one cannot be", async () => {
    opened({
      "GET songs/s/level/*": ({ path }: { path: string }) =>
        path.includes("target=3") ? refusal("+3 LUFS cannot be a target.") : level(),
    });
    const target = within(await screen.findByRole("region", { name: "In the house" })).getByLabelText(/^Target/);
    await screen.findByText(/under the target/);
    await userEvent.clear(target);
    await userEvent.type(target, "3{Enter}");
    expect(await screen.findByText("+3 LUFS cannot be a target.")).toBeTruthy();
    await waitFor(() => expect(target).toHaveProperty("value", "−18.0"));
  });
  it("hears one stem alone without changing the song", async () => {
    const asked = opened();
    const alone = await screen.findByRole("button", { name: "alone: Bass" });
    await userEvent.click(alone);
    expect(alone.getAttribute("aria-pressed")).toBe("true");
    expect(edits(asked)).toEqual([]);
  });
  it("ends the recording on a bar line, held or faded", async () => {
    const asked = opened();
    await userEvent.selectOptions(await screen.findByLabelText("Ends"), "hold");
    await waitFor(() => expect(edits(asked)).toMatchObject([{ do: "set_edges", args: { end_bar: 16, hold_s: 4 } }]));
  });
});
