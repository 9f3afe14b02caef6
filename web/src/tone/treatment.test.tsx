import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import { CURVE_HZ, TREATMENTS, USUAL_TREATMENT } from "@/generated/core";
import type { PageEars } from "@/hear/use-ears";
import { show, song, stem } from "@/test/helpers";

import { TreatmentButton } from "./treatment-dialog";

const of = song();
const [first, second] = of.sections;
const NOTHING = { gate: null, drive: null, tone: null, echo: null };

async function opened(more: Parameters<typeof stem>[1] = {}, state: "idle" | "playing" = "idle") {
  const edit = vi.fn(() => Promise.resolve(true));
  const ears = { state, hear: vi.fn(), stop: vi.fn() };
  show(
    <TreatmentButton
      song={of}
      edit={edit}
      ears={ears as unknown as PageEars}
      stems={[stem("Bells", more)]}
      sections={second ? [second] : []}
    />,
  );
  await userEvent.click(screen.getByRole("button", { name: "Tone and echo…" }));
  return { edit, ears, dialog: within(await screen.findByRole("dialog")) };
}

describe("what a stem goes through", () => {
  it("is chosen by what it is for, in every section or in the chosen ones, and taken away", async () => {
    const { edit, dialog } = await opened();
    await userEvent.selectOptions(dialog.getByLabelText("For what"), "telephone");
    await userEvent.selectOptions(dialog.getByLabelText("Where"), "chosen");
    await userEvent.selectOptions(dialog.getByLabelText("For what"), "echoes");
    expect(edit.mock.calls).toEqual([
      ["set_treatment", { stems: ["Bells"], treatment: { ...TREATMENTS.telephone } }],
      ["set_treatment", { stems: ["Bells"], treatment: { ...TREATMENTS.echoes }, sections: [second?.id] }],
    ]);
  });

  it("is set part by part, and drawn; what is not touched stays", async () => {
    const treatment = { ...NOTHING, echo: { ...USUAL_TREATMENT.echo, repeats: 5 } };
    const { edit, dialog } = await opened({ treatment, curves: { "": CURVE_HZ.map(() => -3) } });
    expect(dialog.getByLabelText<HTMLSelectElement>("For what").value).toBe("own");
    expect(dialog.queryByRole("img")).toBeNull();
    await userEvent.click(dialog.getByLabelText("Gate"));
    await userEvent.click(dialog.getByLabelText("Tone"));
    await userEvent.selectOptions(dialog.getByLabelText("Comes every"), "3/4");
    await userEvent.clear(dialog.getByLabelText("The first at, dB"));
    await userEvent.type(dialog.getByLabelText("The first at, dB"), "-4{Enter}");
    expect(edit.mock.calls.map((call) => (call as unknown as [string, { treatment: unknown }])[1].treatment)).toEqual([
      { ...treatment, gate: USUAL_TREATMENT.gate },
      { ...treatment, tone: USUAL_TREATMENT.tone },
      { ...treatment, echo: { ...treatment.echo, beats: "3/4" } },
      { ...treatment, echo: { ...treatment.echo, db: -4 } },
    ]);
  });

  it("of a section is shown where it has its own, with its curve and what to know", async () => {
    const treatments = { [second?.id ?? ""]: { ...NOTHING, tone: { ...USUAL_TREATMENT.tone, low_db: 3 } } };
    const curves = { [second?.id ?? ""]: CURVE_HZ.map(() => 3) };
    const note = "The gate of “Bells” never opens: lower it.";
    const { edit, ears, dialog } = await opened({ treatments, curves, notes: [note] });
    expect(dialog.getByLabelText<HTMLSelectElement>("Where").value).toBe("chosen");
    expect(dialog.getByRole("img", { name: /from 3.0 to 3.0 dB/ })).toBeTruthy();
    expect(dialog.getByRole("note").textContent).toBe(note);
    await userEvent.click(dialog.getByRole("button", { name: "Hear these sections" }));
    expect(ears.hear).toHaveBeenCalledWith(expect.objectContaining({ bar: second?.first_bar, loop: second?.bars }));
    await userEvent.selectOptions(dialog.getByLabelText("For what"), "none");
    expect(edit).toHaveBeenCalledWith("set_treatment", {
      stems: ["Bells"],
      treatment: null,
      sections: [second?.id],
    });
    await userEvent.click(dialog.getByRole("button", { name: "Done" }));
    expect(ears.stop).toHaveBeenCalledOnce();
  });

  it("is not offered for a guide", () => {
    const ears = { state: "idle", hear: vi.fn(), stop: vi.fn() } as unknown as PageEars;
    const guide = stem("Click", { group: "click", treatable: false });
    show(<TreatmentButton song={of} edit={vi.fn()} ears={ears} stems={[guide]} sections={first ? [first] : []} />);
    expect(screen.queryByRole("button")).toBeNull();
  });
});
