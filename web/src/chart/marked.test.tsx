import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { beforeEach, describe, expect, it, vi } from "vitest";

import { chartBars, openedSong, song } from "@/test/helpers";

const answers = {
  "GET songs/s/": song({}),
  "GET songs/s/chart/*": { bars: chartBars(16), calls: [], seconds: 32, form_bars: 16 },
  "POST songs/s/edits/": song({ revision: 8 }),
};

beforeEach(() => {
  localStorage.clear();
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe() {}
      disconnect() {}
    },
  );
  Element.prototype.scrollIntoView = vi.fn();
});

describe("places marked in rehearsal", () => {
  it("have a flag in their bar, are chosen by a press, and are gone once seen to", async () => {
    const mark = { id: "night-1:7", bar: 3, at: 1_790_000_000, by: "Ines" };
    const asked = openedSong({ ...answers, "GET marks/?song=s": { marks: [mark] } });
    await screen.findByRole("button", { name: /^Bar 3, Verse, 4\/4.*Marked in rehearsal$/ });
    await userEvent.click(screen.getByRole("button", { name: /^Bar 3, marked .*by Ines: choose it/ }));
    expect(screen.getByLabelText("Chords from bar 3")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: /^Bar 3, marked .* is seen to$/ }));
    await waitFor(() =>
      expect(asked.find((a) => a.method === "POST")?.body).toMatchObject({
        do: "done_mark",
        args: { mark: "night-1:7" },
      }),
    );
  });
});
