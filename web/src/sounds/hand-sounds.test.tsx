import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { serve, show, song } from "@/test/helpers";

import { HandSounds } from "./hand-sounds";

const gong = { id: "g", song: null, name: "Gong", group: "effects", gain_db: -2.4, again: "from_top", only: "", position: 0, seconds: 5 }; // prettier-ignore
const bell = { ...gong, id: "b", song: "s", name: "Bell" };

afterEach(() => vi.unstubAllGlobals());

describe("sounds by hand", () => {
  it("are those of the song and of the shelf, each with its group, level and what firing it again does", async () => {
    const asked = serve({ "GET hand-sounds/*": [gong, bell], "PATCH hand-sounds/g/": gong });
    show(<HandSounds song={song()} />);
    const shelf = within(await screen.findByRole("table", { name: "Sounds by hand on the band’s shelf" }));
    expect(within(screen.getByRole("table", { name: /^Sounds by hand of/ })).getByDisplayValue("Bell")).toBeTruthy();
    await userEvent.selectOptions(shelf.getByLabelText("Goes where these go: Gong"), "Rhythm");
    await userEvent.selectOptions(shelf.getByLabelText("Fired again: Gong"), "it ends");
    const level = shelf.getByLabelText("Level: Gong");
    await userEvent.clear(level);
    await userEvent.type(level, "+1,5{Enter}");
    await userEvent.type(shelf.getByLabelText("Rings alone among: Gong"), "weather{Enter}");
    await waitFor(() =>
      expect(asked.filter((a) => a.method === "PATCH").map((a) => a.body)).toEqual([
        { group: "rhythm" },
        { again: "off" },
        { gain_db: 1.5 },
        { only: "weather" },
      ]),
    );
  });
  it("are added from files, to the song or to the shelf, and deleted once that is meant", async () => {
    const asked = serve({
      "GET hand-sounds/*": [gong],
      "POST hand-sounds/*": bell,
      "DELETE hand-sounds/g/": null,
    });
    show(<HandSounds song={song({ id: "s", title: "Paper" })} />);
    const file = new File(["x"], "bell.wav", { type: "audio/wav" });
    await userEvent.upload(await screen.findByLabelText("Files for Sounds by hand of Paper"), file);
    await userEvent.upload(screen.getByLabelText("Files for Sounds by hand on the band’s shelf"), file);
    await userEvent.click(await screen.findByRole("button", { name: "Delete Gong" }));
    await userEvent.click(screen.getByRole("button", { name: "Delete it" }));
    await waitFor(() =>
      expect(asked.filter((a) => a.method !== "GET").map((a) => `${a.method} ${a.path}`)).toEqual([
        "POST hand-sounds/?file=bell.wav&song=s",
        "POST hand-sounds/?file=bell.wav",
        "DELETE hand-sounds/g/",
      ]),
    );
  });
});
