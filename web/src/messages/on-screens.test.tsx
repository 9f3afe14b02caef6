import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { ScreenFile, Song } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { serve, show, song as songWith } from "@/test/helpers";

import { OnScreens } from "./on-screens";

const file = (content: string, kind: "film" | "still"): ScreenFile => ({
  id: `id-${content}`,
  name: content,
  kind,
  content,
  type: kind === "film" ? "video/webm" : "image/png",
  size: 1000,
  width: 640,
  height: 360,
  seconds: kind === "film" ? 95 : 0,
  fps: kind === "film" ? 25 : 0,
});
const dome = { id: "dome", name: "dome", type: "video/webm", fps: 25, seconds: 95 };
const moon = { id: "moon", name: "moon", type: "image/png", fps: 0, seconds: 0 };

function opened(given: Partial<Song> = {}) {
  serve({ "GET screen-files/": [file("dome", "film"), file("moon", "still")] });
  const edit = vi.fn(() => Promise.resolve(true));
  const song = songWith(given);
  show(<OnScreens song={song} edit={edit} />);
  return { edit, song };
}

describe("what screens show with a song", () => {
  it("is a film, from a time on", async () => {
    const { edit } = opened({ screen: { film: { file: dome, starts_s: 1.5 }, stills: [] } });
    const starts = screen.getByLabelText("Begins at, seconds after bar 1");
    await userEvent.clear(starts);
    await userEvent.type(starts, "-2.5{Enter}");
    expect(edit).toHaveBeenLastCalledWith("set_screen", {
      screen: { film: { file: dome, starts_s: -2.5 }, stills: [] },
    });
    const films = screen.getAllByRole("combobox")[0] as HTMLElement;
    expect(await within(films).findByRole("option", { name: "dome · 640 × 360, 1:35" })).toBeTruthy();
    await userEvent.selectOptions(films, "no film");
    expect(edit).toHaveBeenLastCalledWith("set_screen", { screen: { film: null, stills: [] } });
  });
  it("is pictures by section or time", async () => {
    const { edit, song } = opened({ screen: { film: null, stills: [{ file: null, section: null, at_s: 4 }] } });
    const picture = await screen.findByLabelText("Picture");
    await within(picture).findByRole("option", { name: "moon · 640 × 360" });
    await userEvent.selectOptions(picture, "moon · 640 × 360");
    expect(edit).toHaveBeenLastCalledWith("set_screen", {
      screen: { film: null, stills: [{ file: moon, section: null, at_s: 4 }] },
    });
    await userEvent.selectOptions(screen.getByLabelText("From"), song.sections[0]?.id ?? "");
    expect(edit).toHaveBeenLastCalledWith("set_screen", {
      screen: { film: null, stills: [{ file: null, section: song.sections[0]?.id, at_s: null }] },
    });
    await userEvent.click(screen.getByRole("button", { name: "Take this picture out" }));
    expect(edit).toHaveBeenLastCalledWith("set_screen", { screen: { film: null, stills: [] } });
  });
  it("is not sent where it is too big", async () => {
    opened();
    const big = new File(["x"], "long.mp4", { type: "video/mp4" });
    Object.defineProperty(big, "size", { value: LENGTHS.FILM_BYTES + 1 });
    await userEvent.upload(screen.getByLabelText("Add a film or picture"), big);
    await waitFor(() => expect(screen.getByText(/“long.mp4” is too big: a film has at most 2 GB/)).toBeTruthy());
  });
});
