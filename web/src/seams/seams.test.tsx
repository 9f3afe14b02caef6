import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { Seam } from "@/api/types";
import { refusal, serve, showSong, song, stem } from "@/test/helpers";

const seam = (more: Partial<Seam> = {}): Seam => ({
  old: "b",
  new: "a",
  straight: false,
  likely: 0.8,
  verdict: "heard",
  reason: "cut",
  cut: 0.8,
  early: 0,
  level: 0,
  colour: 0,
  cut_db: 12,
  early_ms: 0,
  level_db: 0,
  colour_db: 0,
  stem: "Organ",
  mends: [{ kind: "crossfade", value: 40, likely: 0.3 }, { kind: "shift", value: -12, likely: 0.2 }], // prettier-ignore
  ...more,
});

function opened(seams: unknown, shown = song({ stems: [stem("Organ")] })) {
  const asked = serve({
    "GET songs/s/": shown,
    "GET songs/s/chart/*": { bars: [], calls: [], seconds: 32, form_bars: 16 },
    "GET songs/s/seams/*": seams,
    "GET songs/s/seam/*": seam({ verdict: "not", likely: 0.1 }),
    "GET uploads/*": [],
    "GET line-ups/": [],
    "POST songs/s/edits/": { id: "s", revision: 8 },
  });
  showSong("seams");
  return asked;
}

describe("the seams of a form", () => {
  it("say what will be heard and why, and take the mend that is pressed", async () => {
    const asked = opened([seam(), seam({ old: "a", new: "b", straight: true })]);
    expect(await screen.findByText("A note of “Organ” is cut in two.")).toBeTruthy();
    expect(screen.getByText("will be heard · 80 %")).toBeTruthy();
    expect(screen.getByText("1 join goes straight on, as recorded.")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: /Shift bar 1 by −12 ms/ }));
    await userEvent.click(screen.getByRole("button", { name: /^Crossfade 40 ms/ }));
    const edits = () => asked.filter((a) => a.path.endsWith("/edits/")).map((a) => a.body);
    await waitFor(() => expect(edits()).toHaveLength(2));
    expect(edits()).toMatchObject([
      { do: "set_bar1", args: { by_ms: -12 } },
      { do: "set_facts", args: { crossfade_ms: 40 } },
    ]);
  });
  it.each([
    [{ reason: "early", early_ms: 31.4 }, /31 ms before the bar line/],
    [{ reason: "level", level_db: 4.26 }, /steps 4.3 dB more/],
    [{ reason: "colour", colour_db: 3 }, /changes colour by 3.0 dB/],
    [{ reason: "cut", stem: null }, "A note is cut in two."],
    [{ verdict: "not" as const }, "Nothing sticks out."],
  ])("names the reason %#", async (more, words) => {
    opened([seam(more)]);
    expect(await screen.findByText(words)).toBeTruthy();
  });
  it("are not judged without sound, and a failure is said with a way to try again", async () => {
    opened([], song());
    expect(await screen.findByText(/There is no sound yet/)).toBeTruthy();
  });
  it("say what the server refuses", async () => {
    opened(refusal("The form is gone: reload the song."));
    expect(await screen.findByText(/The form is gone/)).toBeTruthy();
  });
});
