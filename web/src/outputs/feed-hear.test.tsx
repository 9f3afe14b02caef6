import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { expect, it, vi } from "vitest";

const ears = { state: "idle", hear: vi.fn(), stop: vi.fn(), places: { get: () => ({ bar: 7, phase: 0 }) } };
vi.mock("@/hear/use-ears", () => ({ useEars: () => ears }));

import { feed, serve, show } from "@/test/helpers";

import { FeedHear } from "./feed-hear";

const songs = ["Click alone", "Paper", "Ember"].map((title, stems) => ({ id: title.toLowerCase(), title, stems }));

/** The feed, and a press that gives it a ceiling. */
function Changing() {
  const [ceiling_db, set] = useState<number | null>(null);
  return (
    <>
      <button type="button" onClick={() => set(-3)}>
        lower
      </button>
      <FeedHear feed={feed("h", { kind: "house", ceiling_db })} />
    </>
  );
}

it("hears a chosen song on a feed, and goes on where it is once the feed is changed", async () => {
  serve({ "GET songs/": songs });
  show(<Changing />);
  // The first that has anything to hear, until another is chosen.
  expect(await screen.findByLabelText("Song that is heard")).toHaveProperty("value", "paper");
  await userEvent.selectOptions(screen.getByLabelText("Song that is heard"), "Ember");
  await userEvent.click(screen.getByRole("button", { name: "Hear a song on it" }));
  const wish = { song: "ember", bar: 1, form: "full", click: false, cues: false, feed: "h" };
  expect(ears.hear.mock.calls).toEqual([[wish]]);
  ears.state = "hearing";
  await userEvent.click(screen.getByRole("button", { name: "lower" }));
  expect(ears.hear.mock.calls).toEqual([[wish], [{ ...wish, bar: 7 }]]);
  await userEvent.click(screen.getByRole("button", { name: "Stop hearing" }));
  expect(ears.stop).toHaveBeenCalled();
});
