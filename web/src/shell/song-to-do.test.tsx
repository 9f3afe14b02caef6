import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { Song } from "@/api/types";
import { show, song } from "@/test/helpers";

import { SongToDo } from "./song-to-do";

const one = (code: string, severity: "wrong" | "look", more = {}) =>
  ({ code, severity, count: 1, of: "", name: "", ...more }) as Song["to_do"][number];

describe("what is left to do of a song", () => {
  it("leads from view to view, and is done by presses", async () => {
    const edit = vi.fn().mockResolvedValue(true);
    const left = [
      one("faults", "wrong", { count: 2 }),
      one("reference", "wrong", { of: "g", name: "Guide vox" }),
      one("grid", "look"),
      one("parts", "look"),
      one("key", "look"),
    ];
    show(<SongToDo song={song({ to_do: left })} edit={edit} />);
    expect(screen.getByText("2 faults were found in the stems.")).toBeTruthy();
    const ways = screen.getAllByRole("link", { name: "Go to it" });
    expect(ways.map((a) => a.getAttribute("href"))).toEqual(["/songs/s", "/songs/s/grid", "/songs/s/tacet"]);
    await userEvent.click(screen.getByRole("button", { name: "For rehearsal only" }));
    await userEvent.click(screen.getByRole("button", { name: "The grid is right" }));
    await userEvent.click(screen.getByRole("button", { name: "It needs none" }));
    expect(edit.mock.calls).toEqual([
      ["set_stem", { stem: "g", purpose: "rehearsal" }],
      ["set_seen", { what: "grid", seen: true }],
      ["set_seen", { what: "key", seen: true }],
    ]);
  });
});
