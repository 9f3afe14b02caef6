import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import { serve, show, song } from "@/test/helpers";

import { TempoMenu } from "./tempo-menu";

const tempo = (percent: number, state: string, progress = 0) => ({
  percent,
  state,
  progress,
  left_s: null,
  message: "",
});

describe("the tempo that a song is heard at", () => {
  it("is chosen, and every one for rehearsal is prepared by one press", async () => {
    let rows = [50, 60, 70, 80, 90].map((p) => tempo(p, "none"));
    const asked = serve({
      "GET songs/s/tempos/": () => rows,
      "POST songs/s/tempos/": () => (rows = rows.map((r) => ({ ...r, state: "working", progress: 0.4 }))),
    });
    const set = vi.fn();
    show(<TempoMenu song={song({ id: "s" })} percent={100} set={set} />);
    await userEvent.click(screen.getByRole("button", { name: "Heard at 100 % of its tempo" }));
    await userEvent.click(await screen.findByRole("menuitemcheckbox", { name: /^80 %/ }));
    expect(set).toHaveBeenCalledWith(80);
    await userEvent.click(screen.getByRole("menuitem", { name: "Prepare every tempo for rehearsal" }));
    await waitFor(() => expect(asked.filter((a) => a.method === "POST")).toHaveLength(1));
    await userEvent.click(screen.getByRole("button", { name: "Heard at 100 % of its tempo" }));
    expect(await screen.findAllByText(/40 %/)).not.toHaveLength(0);
    expect(screen.getByRole("menuitem", { name: "Prepare every tempo for rehearsal" }).ariaDisabled).toBe("true");
  });
});
