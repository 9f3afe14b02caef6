import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import { refusal, serve, show } from "@/test/helpers";

import { InviteDialog } from "./invite-dialog";
import { LineUpsDialog } from "./line-ups-dialog";
import { MembersDialog } from "./members-dialog";
import { PlayersDialog } from "./players-dialog";

const ozo = { id: "o", name: "Ozo", part: "drums", position: 0 };
const changes = (asked: ReturnType<typeof serve>) =>
  asked.filter((a) => a.method !== "GET").map((a) => [a.method, a.path, a.body]);

describe("the people of the band", () => {
  it("get a link each, shown once", async () => {
    const asked = serve({ "POST sign-in-links/": { link: "http://127.0.0.1/sign-in/x/" } });
    show(<InviteDialog open onOpenChange={vi.fn()} />);
    await userEvent.type(screen.getByLabelText("Name"), " Hakon ");
    await userEvent.click(screen.getByRole("button", { name: "Make a link" }));
    expect(await screen.findByDisplayValue("http://127.0.0.1/sign-in/x/")).toBeTruthy();
    expect(changes(asked)).toEqual([["POST", "sign-in-links/", { name: "Hakon" }]]);
  });
  it("are added, renamed, and removed only where no stem covers them", async () => {
    const asked = serve({
      "GET players/": [ozo],
      "POST players/": { ...ozo, id: "w", name: "Wren" },
      "PATCH players/o/": { ...ozo, part: "kit" },
      "DELETE players/o/": refusal("Ozo is covered by “Drums” in Kites: say what those stems are for first."),
    });
    show(<PlayersDialog open onOpenChange={vi.fn()} />);
    const part = await screen.findByLabelText("What Ozo plays");
    await userEvent.clear(part);
    await userEvent.type(part, "kit{Enter}");
    await userEvent.type(screen.getByLabelText("New player"), "Wren");
    await userEvent.click(screen.getByRole("button", { name: "Add" }));
    expect(await screen.findByLabelText("Name of Wren")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Remove Ozo" }));
    await userEvent.click(await screen.findByRole("button", { name: "Remove" }));
    expect(await screen.findByText(/is covered by “Drums”/)).toBeTruthy();
    expect(changes(asked)).toEqual([
      ["PATCH", "players/o/", { part: "kit" }],
      ["POST", "players/", { name: "Wren", position: 1 }],
      ["DELETE", "players/o/", undefined],
    ]);
    expect(screen.getByLabelText("Name of Ozo")).toBeTruthy();
  });
  it("are on or away in a line-up, or somebody stands in", async () => {
    const lineUp = { id: "l", name: "Three", position: 0, away: [], guests: {} };
    const asked = serve({
      "GET players/": [ozo],
      "GET line-ups/": [lineUp],
      "PATCH line-ups/l/": { ...lineUp, away: ["o"] },
    });
    show(<LineUpsDialog open onOpenChange={vi.fn()} />);
    await userEvent.click(await screen.findByRole("checkbox", { name: "Ozo plays in Three" }));
    await waitFor(() => expect(changes(asked)[0]).toMatchObject(["PATCH", "line-ups/l/", { away: ["o"] }]));
    expect(await screen.findByLabelText("Who stands in for Ozo")).toBeTruthy();
  });
  it("have rights, and a mix of their own", async () => {
    const wren = { id: "7", name: "Wren", role: "bass", right: "everything", player: null };
    const asked = serve({
      "GET players/": [ozo],
      "GET members/": [wren],
      "PATCH members/7/": (a: { body: object }) => ({ ...wren, ...a.body }),
    });
    show(<MembersDialog open onOpenChange={vi.fn()} />);
    const right = await screen.findByLabelText("What Wren may do");
    expect(
      within(right)
        .getAllByRole("option")
        .map((o) => o.textContent),
    ).toEqual(["look on", "change their own mix", "choose sections too", "everything"]);
    await userEvent.selectOptions(right, "change their own mix");
    await userEvent.selectOptions(await screen.findByLabelText("Whose mix is Wren’s"), "the mix of Ozo");
    await waitFor(() => expect(changes(asked)).toHaveLength(2));
    expect(changes(asked).map(([, , body]) => body)).toEqual([{ right: "own_mix" }, { player: "o" }]);
  });
});
