import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { Song } from "@/api/types";
import { refusal, serve, showSong, song } from "@/test/helpers";

type Told = Song["forms"][number]["steps"][number];
const short: Song["forms"][number] = {
  id: "k",
  name: "Short",
  bars: 8,
  seconds: 16,
  steps: [{ section: "b", ending: { kind: "repeat", times: 2 }, cue: "", tacet: [] } as unknown as Told],
};
const of = () => song({ forms: [...song().forms, short] });

function opened(more: Record<string, unknown> = {}, shown = of()) {
  const asked = serve({
    "GET songs/s/": shown,
    "GET songs/s/chart/*": { bars: [], calls: [], seconds: 32, form_bars: 16 },
    "GET uploads/*": [],
    "GET line-ups/": [],
    "POST songs/s/edits/": { id: "s", revision: 8 },
    ...more,
  });
  showSong("forms");
  return asked;
}
const edits = (asked: ReturnType<typeof serve>) =>
  asked.filter((a) => a.path.endsWith("/edits/")).map(({ body }) => body as { do: string; args: object });

describe("the forms of a song", () => {
  it("stand beside one another with their lengths", async () => {
    opened();
    const column = within(await screen.findByRole("region", { name: "Form Short" }));
    expect(column.getByText(/0:16 shorter/)).toBeTruthy();
    expect(column.getByLabelText("Times of Chorus, step 1")).toHaveProperty("value", "2");
  });
  it("begin with what is played of the full one", async () => {
    const asked = opened({}, song());
    await userEvent.click(await screen.findByRole("button", { name: /New form/ }));
    await waitFor(() =>
      expect(edits(asked)).toMatchObject([
        { do: "set_form", args: { name: "Short", steps: [{ section: "a" }, { section: "b" }] } },
      ]),
    );
  });
  it("change an ending in a short form, and in the full one for the section itself", async () => {
    const asked = opened();
    await userEvent.selectOptions(await screen.findByLabelText("Ending of Verse, step 1"), "vamp");
    const column = within(screen.getByRole("region", { name: "Form Short" }));
    await userEvent.selectOptions(column.getByLabelText("Ending of Chorus, step 1"), "cut");
    await waitFor(() => expect(edits(asked)).toHaveLength(2));
    expect(edits(asked)).toMatchObject([
      { do: "set_ending", args: { section: "a", kind: "vamp" } },
      { do: "set_form", args: { form: "k", steps: [{ section: "b", ending: { kind: "cut" } }] } },
    ]);
  });
  it("keep which bars a step plays when its ending is changed, and say them", async () => {
    const part = { section: "b", ending: { kind: "attacca", times: 1 }, first: 2, bars: 3 } as unknown as Told;
    const asked = opened({}, song({ forms: [...song().forms, { ...short, steps: [part, part] }] }));
    const column = within(await screen.findByRole("region", { name: "Form Short" }));
    expect(column.getAllByText("bars 2 to 4 of 8")).toHaveLength(2);
    await userEvent.selectOptions(column.getByLabelText("Ending of Chorus, step 1"), "vamp");
    await waitFor(() => expect(edits(asked)).toHaveLength(1));
    const kept = { section: "b", first: 2, bars: 3 };
    expect(edits(asked)).toMatchObject([{ args: { steps: [{ ...kept, ending: { kind: "vamp" } }, kept] } }]);
  });
  it("put a step back that the server refuses to take out, and say why", async () => {
    opened({ "POST songs/s/edits/": refusal("A form needs at least one section that is played: put one back.") });
    const column = within(await screen.findByRole("region", { name: "Form Short" }));
    await userEvent.click(column.getByRole("button", { name: "Take out Chorus, step 1" }));
    expect(await screen.findByText(/at least one section that is played/)).toBeTruthy();
    expect(within(screen.getByRole("list", { name: "Steps of Short" })).getAllByRole("listitem")).toHaveLength(1);
  });
});
