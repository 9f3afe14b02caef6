import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import { serve, show, song } from "@/test/helpers";

import { Played } from "./played";

function opened(of: ReturnType<typeof song>, answers: Record<string, unknown> = {}) {
  const asked = serve(answers);
  const edit = vi.fn(() => Promise.resolve(true));
  show(
    <dl>
      <Played song={of} edit={edit} />
    </dl>,
  );
  return { asked, edit };
}

describe("how the band plays a song", () => {
  it("is as recorded until a key or a tempo is chosen", async () => {
    const { asked, edit } = opened(song());
    await userEvent.click(screen.getByRole("button", { name: "as recorded" }));
    const dialog = within(await screen.findByRole("dialog"));
    await userEvent.selectOptions(dialog.getByLabelText("Key"), "−2 semitones");
    await userEvent.type(dialog.getByLabelText(/^Tempo, as/), "92 %{Enter}");
    expect(edit.mock.calls).toEqual([
      ["set_played", { semitones: -2 }],
      ["set_played", { tempo: "92 %" }],
    ]);
    expect(asked).toEqual([]);
  });

  it("is said on the song's page, and how far it is prepared so, and begun anew where it was broken off", async () => {
    const refused = { state: "refused", progress: 0, left_s: null, message: "The disk is full." };
    const ready = { state: "ready", progress: 1, left_s: 0, message: "" };
    const { asked } = opened(song({ semitones: 2, tempo_percent: 92 }), {
      "GET songs/*": refused,
      "POST songs/*": ready,
    });
    await userEvent.click(screen.getByRole("button", { name: "+2 st · 92 %" }));
    expect(await screen.findByText("The disk is full.")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Prepare it" }));
    expect(await screen.findByText("It is prepared.")).toBeTruthy();
    expect(asked.map((a) => a.method)).toEqual(["GET", "POST"]);
  });
});
