import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { Changes, Described } from "@/api/types";
import { entryShown, playing, refusal, serve, show } from "@/test/helpers";

import { ChangesButton } from "./changes";

type Change = Changes["changes"][number];

const shown: Described = {
  show: "x",
  title: "Thursday",
  slot: null,
  intervals: [],
  sample_rate: 48000,
  entries: [entryShown()],
  sockets: [],
  feeds: [],
  away: [],
  palette: [],
  hand_sounds: [],
  devices: [],
};
const change = (kind: Change["kind"], more: Partial<Change> = {}): Change => ({
  kind,
  song: "Lanterns",
  name: "",
  was: null,
  now: null,
  waits: false,
  ...more,
});
const button = <ChangesButton show={shown} state={playing()} />;

describe("what was edited since the show was loaded", () => {
  it("is not spoken of where there is nothing", async () => {
    const asked = serve({ "GET engine/changes/": { changes: [], problems: [] } });
    show(button);
    await waitFor(() => expect(asked).toHaveLength(1));
    expect(screen.queryByRole("button")).toBeNull();
  });
  it("is listed in words, what comes at once apart from what waits, and taken in by a press", async () => {
    const level = change("stem_level", { name: "Bass", was: 0, now: -3.5 });
    const changes = [level, change("grid", { song: "Paper Boats", waits: true })];
    const asked = serve({
      "GET engine/changes/": { changes, problems: [] },
      "POST engine/changes/": new Response(null, { status: 204 }),
    });
    show(button);
    await userEvent.click(await screen.findByRole("button", { name: "2 changes" }));
    const atOnce = within(screen.getByRole("region", { name: "At once" }));
    expect(atOnce.getByText("Lanterns: Bass from 0.0 to −3.5 dB")).toBeTruthy();
    const waits = within(screen.getByRole("region", { name: "Once Paper Boats is over" }));
    expect(waits.getByText("Paper Boats: its tempo, metre or first bar")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Take them in" }));
    await screen.findByText(/Taken in/);
    expect(asked.filter((a) => a.method === "POST").map((a) => a.path)).toEqual(["engine/changes/"]);
  });
  it("that breaks a rule is told with the reason, and cannot be taken in", async () => {
    const problems = [{ code: "click-in-house", message: "“Main PA” would carry the click." }];
    serve({ "GET engine/changes/": { changes: [change("patch")], problems } });
    show(button);
    await userEvent.click(await screen.findByRole("button", { name: "1 change" }));
    expect(screen.getByRole("alert").textContent).toContain("would carry the click");
    expect(screen.getByRole("button", { name: "Take them in" })).toHaveProperty("disabled", true);
  });
  it("stays listed where the engine refuses it", async () => {
    serve({
      "GET engine/changes/": { changes: [change("link")], problems: [] },
      "POST engine/changes/": refusal("The rig has a socket 9."),
    });
    show(button);
    await userEvent.click(await screen.findByRole("button", { name: "1 change" }));
    await userEvent.click(screen.getByRole("button", { name: "Take them in" }));
    await screen.findByText("The rig has a socket 9.");
    expect(screen.getByRole("button", { name: "Take them in" })).toHaveProperty("disabled", false);
  });
});
