import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import { serve, show, song, stem } from "@/test/helpers";

import { LayerFacts } from "./layer-facts";
import { LayersButton } from "./layers-dialog";

const layer = { kind: "struck" as const, bars: 1, meter: "4/4", bpm: "104", semitones: 0, pace: 1 };
const shelf = [
  { code: "0b", name: "Big kick", family: "own", group: "rhythm", tonic: null, layer: { ...layer, bars: 2 } },
  { code: "shaker-16", name: "Shaker, sixteenths", family: "shakers", group: "rhythm", tonic: null, layer },
  { code: "warm-0", name: "Pad, warm, in C", family: "pads", group: "tonal", tonic: 0, layer: { ...layer, kind: "held" } },
]; // prettier-ignore
const stacks = [{ id: "k", name: "Lift", layers: [{ name: "Shaker" }, { name: "Kick" }] }];

async function opened(of = song()) {
  const asked = serve({
    "GET loops/": shelf, "GET stacks/": stacks, "POST loops/*": shelf[0], "PATCH loops/0b/": shelf[0],
    "DELETE loops/0b/": null, "POST stacks/": stacks[0], "DELETE stacks/k/": null,
  }); // prettier-ignore
  const [edit, hear, stop] = [vi.fn(() => Promise.resolve(true)), vi.fn(), vi.fn()];
  show(<LayersButton song={of} edit={edit} chosen={of.sections.slice(1, 2)} hear={hear} hearing stop={stop} />);
  await userEvent.click(screen.getByRole("button", { name: "Layers…" }));
  const dialog = within(await screen.findByRole("dialog"));
  return { asked, edit, hear, stop, dialog };
}

describe("layers", () => {
  it("are heard in the song before they are added, everywhere or in the chosen sections, playing or waiting", async () => {
    const { edit, hear, stop, dialog } = await opened();
    await userEvent.click(await dialog.findByRole("button", { name: "Hear it here: Shaker, sixteenths" }));
    expect(hear).toHaveBeenCalledWith({ layer: "shaker-16" });
    expect(dialog.getByText("1 bar of 4/4 at 104")).toBeTruthy();
    await userEvent.click(dialog.getByRole("button", { name: "Add Shaker, sixteenths" }));
    await userEvent.selectOptions(dialog.getByLabelText("Sounds"), "chosen");
    await userEvent.click(dialog.getByLabelText("waits until it is brought in by hand"));
    await userEvent.click(dialog.getByRole("button", { name: "Add Shaker, sixteenths" }));
    expect(edit.mock.calls).toEqual([
      ["add_layer", { loop: "shaker-16", waits: false }],
      ["add_layer", { loop: "shaker-16", waits: true, sections: [song().sections[1]?.id] }],
    ]);
    await userEvent.click(dialog.getByRole("button", { name: "Stop hearing" }));
    await userEvent.click(dialog.getByRole("button", { name: "Close" }));
    expect(stop).toHaveBeenCalledTimes(2);
  });
  it("offer pads in the key of the song, where it has one", async () => {
    const { edit, dialog } = await opened(song({ key: "Eb" }));
    await userEvent.click(await dialog.findByRole("button", { name: "Pads and drones" }));
    await userEvent.click(dialog.getByRole("button", { name: "Add Drone, low, in the key of the song (Eb)" }));
    expect(edit).toHaveBeenCalledWith("add_layer", { loop: "low", waits: false });
  });
  it("of our own are brought, corrected and taken from the shelf", async () => {
    const { asked, dialog } = await opened();
    await userEvent.upload(
      await dialog.findByLabelText("Files of loops"),
      new File(["x"], "kick 6-8.wav", { type: "audio/wav" }),
    );
    const bars = await dialog.findByLabelText("Bars: Big kick");
    await userEvent.clear(bars);
    await userEvent.type(bars, "4{Enter}");
    await userEvent.selectOptions(dialog.getByLabelText("Follows the tempo: Big kick"), "stretched");
    await userEvent.click(dialog.getByRole("button", { name: "Take Big kick from the shelf" }));
    await userEvent.click(await screen.findByRole("button", { name: "Take it from the shelf" }));
    await waitFor(() =>
      expect(asked.filter((a) => a.method !== "GET").map((a) => [a.method, a.path, a.method === "PATCH" && a.body])).toEqual([
        ["POST", "loops/?file=kick+6-8.wav", false],
        ["PATCH", "loops/0b/", { bars: 4 }],
        ["PATCH", "loops/0b/", { kind: "tonal" }],
        ["DELETE", "loops/0b/", false],
      ]),
    ); // prettier-ignore
  });
  it("are kept as a stack, which is heard here, taken, and deleted once that is meant", async () => {
    const { asked, edit, hear, dialog } = await opened(song({ stems: [stem("Shaker", { layer })] }));
    await userEvent.type(dialog.getByLabelText("Name of the stack"), "Lift{Enter}");
    await userEvent.click(await dialog.findByRole("button", { name: "Hear it here: Lift" }));
    expect(hear).toHaveBeenCalledWith({ stack: "k" });
    await userEvent.click(dialog.getByRole("button", { name: "Take the stack Lift" }));
    expect(edit).toHaveBeenCalledWith("take_stack", { stack: "k" });
    await userEvent.click(dialog.getByRole("button", { name: "Delete the stack Lift" }));
    await userEvent.click(await screen.findByRole("button", { name: "Delete it" }));
    await waitFor(() =>
      expect(asked.filter((a) => a.method !== "GET").map((a) => `${a.method} ${a.path}`)).toEqual([
        "POST stacks/",
        "DELETE stacks/k/",
      ]),
    );
  });
  it("of a song say how they follow it, and are changed and taken out", async () => {
    const edit = vi.fn(() => Promise.resolve(true));
    show(<LayerFacts stem={stem("Arpeggio", { layer: { ...layer, kind: "tonal" } })} edit={edit} />);
    await userEvent.selectOptions(screen.getByLabelText("Pace"), "in double time");
    await userEvent.selectOptions(screen.getByLabelText("Its key"), "+2 semitones");
    await userEvent.selectOptions(screen.getByLabelText("Follows the tempo"), "cut at its attacks");
    await userEvent.clear(screen.getByLabelText("Metre"));
    await userEvent.type(screen.getByLabelText("Metre"), "6/8{Enter}");
    await userEvent.click(screen.getByLabelText("waits until it is brought in by hand"));
    await userEvent.click(screen.getByRole("button", { name: "Take it out of the song" }));
    expect(edit.mock.calls).toEqual([
      ["set_layer", { stem: "Arpeggio", pace: 2 }],
      ["set_layer", { stem: "Arpeggio", semitones: 2 }],
      ["set_layer", { stem: "Arpeggio", kind: "struck" }],
      ["set_layer", { stem: "Arpeggio", meter: "6/8" }],
      ["set_stem", { stem: "Arpeggio", muted: true }],
      ["remove_stem", { stem: "Arpeggio" }],
    ]);
  });
});
