import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { ClickPage } from "@/api/types";
import { refusal, serve, showSong, song } from "@/test/helpers";

import { beatsOf, parted, pressed, written } from "./pattern";

const page: ClickPage = {
  band: {}, whole: { accent: "wood", beat: "rim", division: "rim", count_in: "wood", gain_db: -6, divisions: 1, pitches: { accent: 7 }, levels: {}, from_bar: 1, to_bar: null, silent: [] },
  meters: [
    { key: "4/4", beats: 4, usual: "a b b b", pattern: "a b b b", spans: [[1, 8]] }, { key: "7/8 2+2+3", beats: 3, usual: "a b b", pattern: "ad bd bds", spans: [[9, 12], [15, 16]] },
  ],
}; // prettier-ignore
const opened = (more: Record<string, unknown> = {}) => {
  const asked = serve({
    "GET songs/s/": song({ click: { patterns: { "7/8 2+2+3": "ad bd bds" } } }), "GET songs/s/chart/*": { bars: [], calls: [], seconds: 32, form_bars: 16 }, "GET uploads/*": [], "GET line-ups/": [],
    "GET songs/s/tonight/*": { standing: {}, gaps: [], looks: [], empty: [] }, "GET songs/s/click/": page, "POST songs/s/edits/": song({ revision: 8 }), ...more,
  }); // prettier-ignore
  showSong("click");
  return asked;
};
const clicks = (asked: ReturnType<typeof serve>) =>
  asked.filter((a) => a.path.endsWith("/edits/")).map((a) => (a.body as { args: { click: unknown } }).args.click);

describe("a pattern", () => {
  it("is pressed and parted beat by beat", () => {
    const beats = beatsOf("a b bds");
    expect(written(pressed(beats, 1, 0))).toBe("a s bds");
    expect(written(pressed(beats, 2, 2))).toBe("a b bdd");
    expect(written(pressed(beats, 2, 0))).toBe("a b sds");
    expect(written(parted(beats, 0, 3))).toBe("add b bds");
    expect(written(parted(["s", "b"], 0, 2))).toBe("ss b");
  });
});

describe("the click of a song", () => {
  it("is drawn for every metre and changed by a press, by parts, and typed", async () => {
    const asked = opened();
    const seven = within(await screen.findByRole("region", { name: "Pattern of 7/8 2+2+3" }));
    expect(seven.getByText("bars 9–12, bars 15–16")).toBeTruthy();
    await userEvent.click(seven.getByRole("button", { name: "Beat 3, part 3: silent" }));
    await userEvent.selectOptions(seven.getByLabelText("Parts of beat 1"), "4");
    const four = within(screen.getByRole("region", { name: "Pattern of 4/4" }));
    await userEvent.clear(four.getByLabelText("Pattern of 4/4, typed"));
    await userEvent.type(four.getByLabelText("Pattern of 4/4, typed"), "a s b s{Enter}");
    await waitFor(() =>
      expect(clicks(asked)).toEqual([
        { patterns: { "7/8 2+2+3": "ad bd bdd" } }, { patterns: { "7/8 2+2+3": "addd bd bds" } }, { patterns: { "4/4": "a s b s" } },
      ]),
    ); // prettier-ignore
  });
  it("has voices, sections and bounds of its own", async () => {
    const asked = opened();
    await userEvent.selectOptions(await screen.findByLabelText("Sound of Accent"), "rim");
    await userEvent.clear(screen.getByLabelText("Pitch of Beat, in semitones"));
    await userEvent.type(screen.getByLabelText("Pitch of Beat, in semitones"), "-5{Enter}");
    await userEvent.selectOptions(screen.getByLabelText("Divisions in Chorus"), "2");
    await userEvent.click(screen.getByLabelText("No click in Verse"));
    await userEvent.type(screen.getByLabelText("to bar"), "14{Enter}");
    await waitFor(() =>
      expect(clicks(asked)).toEqual([
        { accent: "rim" },
        { pitches: { accent: 7, beat: -5 } },
        { parts: { b: 2 } },
        { silent: ["a"] },
        { to_bar: 14 },
      ]),
    );
  });
  it("says why a pattern cannot be, and gives the click away", async () => {
    opened({ "POST songs/s/edits/": () => refusal("“a b” has 2 beats, and a bar of 4/4 has 4.") });
    const field = await screen.findByLabelText("Pattern of 4/4, typed");
    await userEvent.clear(field);
    await userEvent.type(field, "a b{Enter}");
    expect((await screen.findAllByText("“a b” has 2 beats, and a bar of 4/4 has 4.")).length).toBeGreaterThan(0);
    await userEvent.selectOptions(screen.getByLabelText("What is given away"), "both");
    expect(screen.getByRole("link", { name: "MIDI file" }).getAttribute("href")).toBe(
      "/api/songs/s/guide/?what=both&kind=mid&form=full",
    );
  });
});
