import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it, vi } from "vitest";

import { feed, refusal, rig, serve, setlist, show, song, stem } from "@/test/helpers";

import { WhyDialog } from "./why-dialog";

const path = [
  { what: "stem:s", name: "“Bass”", gain_db: -2, state: "open" },
  { what: "feed:h", name: "House", gain_db: 0, state: "stopped" },
  { what: "socket:1", name: "Socket 1", gain_db: 0, state: "beyond" },
];
const heard = {
  source: "stem:s",
  heard: true,
  db: -5,
  path: path.map((p) => ({ ...p, state: "open" })),
  stopped_by: null,
};
const pulled = { code: "house-pulled", message: "The house is pulled.", mend: null };

function opened(more: Record<string, unknown> = {}) {
  const entry = { id: "e", song: "moth", title: "Moth", interval_minutes: null };
  const asked = serve({
    "GET shows/": [{ id: "show", title: "Thursday", setlist: "l", rig: "r" }],
    "GET setlists/": [setlist({ id: "l", entries: [entry] as never })],
    "GET songs/moth/": song({ id: "moth", title: "Moth", stems: [stem("s", { name: "Bass" })], bars: 16 }),
    "GET shows/show/why/*": { found: [heard] },
    ...more,
  });
  show(<WhyDialog rig={rig()} feeds={[feed("h", { name: "House" })]} first={{ socket: 2 }} onClose={vi.fn()} />);
  return asked;
}

it("lists what is heard at the socket it was asked at", async () => {
  const asked = opened();
  const list = within(await screen.findByRole("region", { name: /loudest first/ }));
  expect(list.getByText("“Bass” → House → Socket 1")).toBeTruthy();
  expect(list.getByText("−5.0 dB")).toBeTruthy();
  expect(asked.some((a) => a.path.includes("socket=2") && a.path.includes("bar=1"))).toBe(true);
});

it("tells the way of a source, and the first thing that stops it", async () => {
  opened({
    "GET shows/show/why/*": { found: [{ source: "stem:s", heard: false, db: null, path, stopped_by: pulled }] },
  });
  await userEvent.selectOptions(
    await screen.findByLabelText("Source"),
    await screen.findByRole("option", { name: "Bass" }),
  );
  expect(await screen.findByRole("heading", { name: "Not heard. The house is pulled." })).toBeTruthy();
  expect(["goes through", "stops here", "not reached"].map((s) => screen.getAllByLabelText(s).length)).toEqual([
    1, 1, 1,
  ]);
});

it("says what is wrong with what was asked", async () => {
  opened({ "GET shows/show/why/*": () => refusal("Bar 16 is not played in entry 1: choose another.") });
  expect(await screen.findByText("Bar 16 is not played in entry 1: choose another.")).toBeTruthy();
});

it.each([
  [
    { kind: "stem", of: "s", args: { muted: false } },
    "Let it sound",
    "songs/moth/edits/",
    { do: "set_stem", args: { stem: "s", muted: false } },
  ],
  [{ kind: "send", of: "h", args: {} }, "Send it there", "feeds/h/", { sends: [{ source: "stem:s", gain_db: 0 }] }],
  [{ kind: "feed", of: "h", args: { gain_db: 0 } }, "Feed to 0 dB", "feeds/h/", { gain_db: 0 }],
])("does what mends it: %o", async (mend, label, to, body) => {
  const stop = { code: "x", message: "It is stopped.", mend: { name: "", ...mend } };
  const asked = opened({
    "GET shows/show/why/*": { found: [{ source: "stem:s", heard: false, db: null, path, stopped_by: stop }] },
    "POST songs/moth/edits/": song({ id: "moth" }),
    "PATCH feeds/h/": feed("h"),
  });
  await userEvent.selectOptions(
    await screen.findByLabelText("Source"),
    await screen.findByRole("option", { name: "Bass" }),
  );
  const before = asked.filter((a) => a.path.includes("/why/")).length;
  await userEvent.click(await screen.findByRole("button", { name: label }));
  expect(asked.find((a) => a.path === to && a.method !== "GET")?.body).toEqual(body);
  await waitFor(() => expect(asked.filter((a) => a.path.includes("/why/")).length).toBeGreaterThan(before));
});

it("offers no edit where only a press of the night would do", async () => {
  const stop = { ...pulled, mend: { kind: "press", name: "bring_back", of: "", args: {} } };
  opened({ "GET shows/show/why/*": { found: [{ source: "stem:s", heard: false, db: null, path, stopped_by: stop }] } });
  await userEvent.selectOptions(
    await screen.findByLabelText("Source"),
    await screen.findByRole("option", { name: "Bass" }),
  );
  await screen.findByText(/The house is pulled/);
  expect(screen.getAllByRole("button").map((b) => b.textContent)).toEqual(["", "Done"]);
});
