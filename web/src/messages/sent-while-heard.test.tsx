import { act, screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";

import type { Message, MessageShown, SongMessages } from "@/api/types";
import { Places } from "@/hear/places";
import { type Asked, serve, show, song } from "@/test/helpers";

import { dueIn, useSentWhileHeard } from "./sent-while-heard";

const made = song();
const first = made.sections[0] as (typeof made.sections)[number];
const at = (more: Partial<Message["at"]>): Message["at"] => ({
  place: "start",
  section: null,
  bar: null,
  beat: 1,
  pass: null,
  ...more,
});
const shown = (id: string, place: Message["at"], bar: number | null, lost = false): MessageShown => ({
  message: { id, device: "keys", at: place, send: { kind: "program", program: Number(id), bank: null }, chase: null },
  section: bar === null ? null : first.id,
  bar,
  says: null,
  name: "",
  lost,
});
const found: SongMessages = {
  revision: 1,
  devices: [],
  sections: [{ id: first.id, beats: Array.from({ length: first.bars }, () => 4) }],
  messages: [
    shown("1", at({}), null),
    shown("2", at({ place: "section", section: first.id }), 0),
    shown("3", at({ place: "bar", bar: 2, beat: 3 }), 1),
    shown("4", at({ place: "bar", bar: 2, beat: 3, pass: 2 }), 1),
    shown("5", at({ place: "bar", bar: 2, beat: 4 }), 1, true),
    shown("6", at({ place: "end" }), null),
  ],
};

function Heard({ places, on }: { places: Places; on: boolean }) {
  useSentWhileHeard(places, made, found, on);
  return <p>heard</p>;
}

const programs = (asked: Asked[]) =>
  asked.filter((a) => a.path.includes("send/")).map((a) => (a.body as { send: { program: number } }).send.program);

describe("messages while the song is heard in the page", () => {
  it("stand where a song played straight through has them; what is lost or of a later pass is none of them", () => {
    expect(dueIn(made, found).map((one) => one.at)).toEqual([1, 1, 2.5, made.bars + 1]);
  });
  it("go out at their places, each once, after what holds where it begins", async () => {
    const asked = serve({
      "POST devices/keys/send/": {},
      [`GET songs/${made.id}/holds/*`]: {
        holds: [{ device: "keys", says: { kind: "program", program: 9, bank: null }, name: "" }],
      },
    });
    const places = new Places();
    show(<Heard places={places} on />);
    await screen.findByText("heard");
    for (const phase of [0.02, 0.3, 0.9]) act(() => places.tell({ bar: 1, phase }));
    await waitFor(() => expect(programs(asked)).toEqual([9, 1, 2]));
    for (const phase of [0.4, 0.51, 0.6, 0.8]) act(() => places.tell({ bar: 2, phase }));
    await waitFor(() => expect(programs(asked)).toEqual([9, 1, 2, 3]));
  });
  it("are not sent before it is asked for", async () => {
    const asked = serve({ "POST devices/keys/send/": {} });
    const places = new Places();
    show(<Heard places={places} on={false} />);
    await screen.findByText("heard");
    act(() => places.tell({ bar: 1, phase: 0.5 }));
    expect(asked).toEqual([]);
  });
});
