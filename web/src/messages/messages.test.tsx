import { screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import type { Device, Message, MessageShown, SongMessages } from "@/api/types";
import { openedSong, refusal, song } from "@/test/helpers";

import { linesOf, moved, placedOn } from "./places";
import { argsOf, wordsOf } from "./says";
import { learnt } from "./use-device-line";

const own = song();
const [verse, chorus] = own.sections;
const v = verse?.id ?? "";
const keys: Device = {
  id: "keys", name: "Keys", kind: "midi", port: "Rig", channel: 2, host: "", udp_port: null, lead_ms: 20, clock: false, fps: "25", on_jump: "jump",
  socket: null,
  messages: [{ id: "pipes", name: "Pipes", send: { kind: "program", program: 31, bank: null } }],
}; // prettier-ignore
const film: Device = { ...keys, id: "film", name: "Film", kind: "osc", port: "", messages: [] };
const at = (more: Partial<Message["at"]>): Message["at"] => ({
  place: "bar",
  section: null,
  bar: null,
  beat: 1,
  pass: null,
  ...more,
});
const shown = (id: string, bar: number, place: Partial<Message["at"]>): MessageShown => ({
  message: { id, device: "keys", at: at(place), send: { kind: "named", message: "pipes" }, chase: null },
  section: v,
  bar,
  says: { kind: "program", program: 31, bank: null },
  name: "Pipes",
  lost: false,
});
const found = (messages: MessageShown[] = []): SongMessages => ({
  revision: own.revision,
  devices: [keys, film],
  sections: own.sections.map((s) => ({ id: s.id, beats: Array.from({ length: s.bars }, () => 4) })),
  messages,
});
const opened = (messages: MessageShown[] = [], more: Record<string, unknown> = {}) =>
  openedSong(
    {
      "GET songs/s/": own,
      "GET songs/s/chart/*": { bars: [], calls: [], seconds: 32, form_bars: 16 },
      "GET line-ups/": [],
      "GET songs/s/messages/": found(messages),
      "GET songs/s/holds/*": { holds: [{ device: "keys", says: { kind: "note", note: 60, velocity: 9, beats: 1 }, name: "" }] },
      "GET devices/": { devices: [keys, film], can_undo: true, can_redo: false },
      "POST songs/s/edits/": song({ revision: 8 }),
      "POST devices/": { devices: [keys, film], can_undo: true, can_redo: false },
      "POST devices/undo/": { devices: [], can_undo: false, can_redo: true },
      "POST devices/keys/send/": { ok: true },
      ...more,
    },
    "messages",
  ); // prettier-ignore
const posted = (asked: ReturnType<typeof opened>, path: string) =>
  asked.filter((a) => a.method === "POST" && a.path === path).map((a) => a.body);

describe("places of messages", () => {
  it("lie on their beats, and are written as far as the next one", () => {
    const placed = placedOn(
      found([shown("a", 0, { place: "section", section: v }), shown("b", 1, { bar: 2, beat: 3 })]),
      "keys",
      { group: v, first: 0, bars: verse?.bars ?? 0 },
    );
    expect(placed.map((p) => [p.at, p.until])).toEqual([
      [0, 1.5],
      [1.5, verse?.bars],
    ]);
  });
  it("are gone through by arrow keys, from line to line and to the song's end", () => {
    const lines = linesOf(own.sections);
    const ids = ["keys", "film"];
    const begin = { device: "keys", group: "start", bar: 0 };
    expect(moved(lines, ids, begin, "ArrowDown")).toEqual({ ...begin, device: "film" });
    const first = moved(lines, ids, begin, "ArrowRight");
    expect(first).toEqual({ device: "keys", group: v, bar: 0 });
    expect(moved(lines, ids, begin, "End")).toEqual({ device: "keys", group: "end", bar: 0 });
    expect(moved(lines, ids, begin, "ArrowUp")).toEqual(begin);
    expect(moved(lines, ids, begin, "x")).toBeNull();
  });
  it("cut a long section into lines of eight bars", () => {
    const long = own.sections.map((s) => ({ ...s, bars: 17 }));
    expect(
      linesOf(long)
        .slice(1, 4)
        .map((l) => [l.first, l.bars]),
    ).toEqual([
      [0, 8],
      [8, 8],
      [16, 1],
    ]);
  });
});

describe("words of messages", () => {
  it("are the device's own where it has some", () => {
    const t = ((key: string) => key) as never;
    expect(wordsOf({ kind: "program", program: 12, bank: null }, "Glass organ", t)).toBe("12 · Glass organ");
    expect(wordsOf({ kind: "osc", address: "/go", args: [1, "now"] }, "", t)).toBe("/go 1 now");
  });
  it("take numbers of OSC as numbers", () => {
    expect(argsOf(" 1 2.5 now ")).toEqual([1, 2.5, "now"]);
  });
  it("are learnt from what a device sends", () => {
    const heard = (kind: "note" | "controller" | "program" | "bend", value: number, down = true) =>
      learnt({
        control: { port: "Rig", kind, channel: 2, number: 30, key: "" },
        value,
        down,
        binding: null,
        press: null,
        args: {},
      });
    expect(heard("program", 127)).toEqual({ kind: "program", program: 31, bank: null });
    expect(heard("controller", 64)).toEqual({ kind: "controller", controller: 30, value: 64, over_beats: null });
    expect(heard("note", 90)).toEqual({ kind: "note", note: 30, velocity: 90, beats: 1 });
    expect(heard("note", 0, false)).toBeNull();
    expect(heard("bend", 8000)).toBeNull();
  });
});

describe("the messages of a song", () => {
  it("are put to the bar that is chosen, on its beat and in the pass that was chosen", async () => {
    const asked = opened();
    await userEvent.click(await screen.findByRole("gridcell", { name: `Keys, bar 2, ${verse?.name}` }));
    await userEvent.selectOptions(screen.getByLabelText("Beat"), "3");
    await userEvent.selectOptions(screen.getByLabelText("When"), "last");
    await userEvent.click(screen.getByRole("button", { name: "Put it here" }));
    await waitFor(() => expect(posted(asked, "songs/s/edits/")).toHaveLength(1));
    const [body] = posted(asked, "songs/s/edits/") as { do: string; args: { message: Message } }[];
    expect(body?.do).toBe("set_message");
    expect(body?.args.message).toMatchObject({
      device: "keys",
      at: { place: "bar", bar: 2, beat: 3, pass: "last" },
      send: { kind: "named", message: "pipes" },
      chase: null,
    });
  });
  it("at the first bar of a section go with the section, wherever it is moved", async () => {
    const asked = opened();
    await userEvent.click(await screen.findByRole("gridcell", { name: `Keys, bar 1, ${verse?.name}` }));
    await userEvent.selectOptions(screen.getByLabelText("What is sent"), "controller");
    await userEvent.clear(screen.getByLabelText("Over beats, or at once"));
    await userEvent.type(screen.getByLabelText("Over beats, or at once"), "8{Enter}");
    await userEvent.click(screen.getByLabelText("Brought back after a jump"));
    await userEvent.click(screen.getByRole("button", { name: "Put it here" }));
    await waitFor(() => expect(posted(asked, "songs/s/edits/")).toHaveLength(1));
    const [body] = posted(asked, "songs/s/edits/") as { args: { message: Message } }[];
    expect(body?.args.message).toMatchObject({
      at: { place: "section", section: v },
      send: { kind: "controller", over_beats: 8 },
      chase: false,
    });
  });
  it("are told, taken out, copied and sent at once", async () => {
    const asked = opened([shown("a", 0, { place: "section", section: v, pass: 2 })]);
    const cell = await screen.findByRole("gridcell", { name: `Keys, bar 1, ${verse?.name}, time 2: 31 · Pipes` });
    await userEvent.click(cell);
    expect(await screen.findByText("Note 60")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Send it now" }));
    await userEvent.selectOptions(screen.getByLabelText("Copy this section to …"), chorus?.id ?? "");
    await userEvent.click(screen.getByRole("button", { name: "Take out" }));
    await waitFor(() => expect(posted(asked, "songs/s/edits/")).toHaveLength(2));
    expect(posted(asked, "devices/keys/send/")).toEqual([{ send: { kind: "named", message: "pipes" } }]);
    expect(posted(asked, "songs/s/edits/")).toMatchObject([
      { do: "copy_messages", args: { section: v, to: [chorus?.id] } },
      { do: "remove_messages", args: { messages: ["a"] } },
    ]);
  });
  it("that cannot be sent any more are said and taken out at one press", async () => {
    const asked = opened([{ ...shown("a", 0, { bar: 1 }), says: null, lost: true }]);
    const said = await screen.findByText(/1 message is not sent/);
    await userEvent.click(within(said.parentElement as HTMLElement).getByRole("button", { name: "Take out" }));
    await waitFor(() =>
      expect(posted(asked, "songs/s/edits/")).toMatchObject([{ do: "remove_messages", args: { messages: ["a"] } }]),
    );
  });
  it("say why one was not sent", async () => {
    opened([], { "POST devices/keys/send/": refusal("The port “Rig” of “Keys” is not plugged in.") });
    await userEvent.click(await screen.findByRole("gridcell", { name: `Keys, bar 1, ${verse?.name}` }));
    await userEvent.click(screen.getByRole("button", { name: "Send it now" }));
    expect(await screen.findByText("The port “Rig” of “Keys” is not plugged in.")).toBeTruthy();
  });
});

describe("devices", () => {
  it("are changed in their dialog, and what they have by name with them", async () => {
    const asked = opened();
    await userEvent.click(await screen.findByRole("button", { name: "Open Keys" }));
    const dialog = within(screen.getByRole("dialog"));
    await userEvent.selectOptions(dialog.getByLabelText("Channel"), "5");
    await userEvent.clear(dialog.getByLabelText("Program, 1 to 128"));
    await userEvent.type(dialog.getByLabelText("Program, 1 to 128"), "32{Enter}");
    await userEvent.click(dialog.getByRole("button", { name: "Add a note" }));
    await waitFor(() => expect(posted(asked, "devices/")).toHaveLength(3));
    expect(posted(asked, "devices/")).toMatchObject([
      { id: "keys", channel: 5 },
      { messages: [{ id: "pipes", send: { program: 32 } }] },
      { messages: [{ id: "pipes" }, { name: "Message 2", send: { kind: "note" } }] },
    ]);
  });
  it("are added by a name, and the last change is taken back", async () => {
    const asked = opened();
    await userEvent.click(await screen.findByRole("button", { name: "Add a device" }));
    const dialog = within(screen.getByRole("dialog"));
    await userEvent.type(dialog.getByLabelText("Name"), "灯光");
    await userEvent.selectOptions(dialog.getByLabelText("It speaks"), "osc");
    await userEvent.click(dialog.getByRole("button", { name: "Add a device" }));
    await waitFor(() => expect(screen.queryByRole("dialog")).toBeNull());
    expect(posted(asked, "devices/")).toMatchObject([{ name: "灯光", kind: "osc" }]);
    await userEvent.click(screen.getByRole("button", { name: "Take the last change of devices back" }));
    await waitFor(() => expect(posted(asked, "devices/undo/")).toHaveLength(1));
  });
});
