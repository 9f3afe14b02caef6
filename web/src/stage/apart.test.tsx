import { act, render, renderHook, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { EntryShown } from "@/api/types";
import { entryShown, load, playing, serve, show } from "@/test/helpers";

import { FormsTonight } from "./forms-tonight";
import { LargeNow } from "./large-now";
import { LoadWord } from "./load-word";
import { NoShow } from "./no-show";
import { RehearsalTools } from "./rehearsal-tools";
import { StageMenu } from "./stage-menu";
import { useLight } from "./use-light";

const shows = { "GET shows/": [{ id: "t", title: "Thursday", rig_name: "Tent" }] };
const lost = (code: string, message: string) =>
  new Response(JSON.stringify({ problems: [{ code, message }] }), { status: 400 });

describe("how the machine is", () => {
  it("is one word, and figures when it is pressed", async () => {
    show(<LoadWord load={load()} />);
    await userEvent.click(screen.getByRole("button", { name: "The machine is calm" }));
    const dialog = within(screen.getByRole("dialog"));
    expect(dialog.getByText("870 of 1000 ms")).toBeTruthy();
    expect(dialog.getByText("31 % used, 12.0 GB free")).toBeTruthy();
    expect(dialog.getByText("not told by this machine")).toBeTruthy();
    expect(dialog.getByRole("row", { name: "Feeder 2.1 % 48" })).toBeTruthy();
    expect(dialog.queryByText(/This user may not/)).toBeNull();
  });
  it("says what it is strained by, and what this user may not do", async () => {
    show(<LoadWord load={load({ word: "strained", reasons: ["ring", "waking"], hurried: false })} />);
    const word = screen.getByRole("button", { name: "The machine is strained" });
    expect(word.className).toContain("text-clay");
    await userEvent.click(word);
    expect(screen.getByText(/Because sound in hand ran low, the engine was woken late\./)).toBeTruthy();
    expect(screen.getByText(/This user may not let the engine run before other programs/)).toBeTruthy();
  });
});

describe("taking a show to the stage", () => {
  it.each([
    ["stage-taken", "“The Ferrymen” has a show on this stage", "they are not asked"],
    ["stage-place", "“Thursday” stands stopped at bar 12", "the place is lost"],
  ])("asks first: %s", async (code, message, means) => {
    const asked = serve({
      ...shows,
      "POST shows/t/load/": ({ body }: { body: unknown }) =>
        (body as { sure: boolean }).sure ? { show: "t" } : lost(code, message),
    });
    show(<NoShow status="other" />);
    await userEvent.click(await screen.findByRole("button", { name: /Thursday/ }));
    const dialog = within(await screen.findByRole("dialog"));
    expect(dialog.getByText(new RegExp(`${message}.*${means}`))).toBeTruthy();
    await userEvent.click(dialog.getByRole("button", { name: "Take it all the same" }));
    expect(asked.filter((a) => a.method === "POST").map((a) => a.body)).toEqual([{ sure: false }, { sure: true }]);
  });
  it("keeps what is there unless it is meant", async () => {
    const asked = serve({ ...shows, "POST shows/t/load/": () => lost("stage-other-show", "“Friday” is on now.") });
    show(<NoShow status="empty" />);
    await userEvent.click(await screen.findByRole("button", { name: /Thursday/ }));
    await userEvent.click(await screen.findByRole("button", { name: "Keep it" }));
    expect(asked.filter((a) => a.method === "POST")).toHaveLength(1);
  });
});

describe("the stage as a whole", () => {
  const chosen = async (name: string) => {
    await userEvent.click(screen.getByRole("button", { name: /Stage: nights/ }));
    await userEvent.click(await screen.findByRole("menuitem", { name }));
  };
  it("lists the nights that were written down, to be saved", async () => {
    const night = { name: "20261127-201500-3-b-t.jsonl", title: "Thursday", began: 1795810500, bytes: 40_000 };
    serve({ "GET nights/": { kept_days: 90, nights: [night] } });
    show(<StageMenu loaded={false} rehearsal={false} rehearse={vi.fn()} light={1} setLight={vi.fn()} />);
    await chosen("Nights that were written down");
    const link = await screen.findByRole("link", { name: /Save Thursday, 27 Nov 2026/ });
    expect(link.getAttribute("href")).toBe(`/api/nights/${night.name}/`);
    expect(screen.getByText(/Kept for 90 days/)).toBeTruthy();
  });
  it("is given back once that is meant", async () => {
    const asked = serve({ "DELETE engine/": {} });
    show(<StageMenu loaded rehearsal={false} rehearse={vi.fn()} light={1} setLight={vi.fn()} />);
    await chosen("Give the stage back");
    expect(asked).toEqual([]);
    await userEvent.click(await screen.findByRole("button", { name: "Give the stage back" }));
    expect(asked.map((a) => `${a.method} ${a.path}`)).toEqual(["DELETE engine/"]);
  });
  it("is as bright as this browser remembers", () => {
    const { result, rerender } = renderHook(() => useLight());
    act(() => result.current[1](0.5));
    rerender();
    expect(result.current[0]).toBe(0.5);
    expect(renderHook(() => useLight()).result.current[0]).toBe(0.5);
    localStorage.setItem("stage-light", "7");
    expect(renderHook(() => useLight()).result.current[0]).toBe(1);
    localStorage.clear();
  });
  it("offers the forms that save most, and takes back those that were taken", async () => {
    const entries = ["One", "Two", "Three", "Two"].map((title, i) =>
      entryShown({ id: `e${i}`, title, form: i === 3 ? "Short" : "Full", of: i === 3 ? 1 : null }),
    );
    const shorter = [
      { entry: 1, instead: 3, form: "Short", saves_s: 100 },
      { entry: 2, instead: 4, form: "Brief", saves_s: 30 },
    ];
    const press = vi.fn();
    const { rerender } = render(<FormsTonight entries={entries} state={playing({ shorter })} press={press} />);
    await userEvent.click(screen.getByRole("button", { name: "Short form of 2, Two, saves 1:40" }));
    const order = { ...playing().tonight, order: [0, 3, 2] };
    rerender(<FormsTonight entries={entries} state={playing({ tonight: order })} press={press} />);
    await userEvent.click(screen.getByRole("button", { name: "2, Two, is played Short: take it back" }));
    expect(press.mock.calls).toEqual([
      ["take_form", { entry: 3 }],
      ["take_form", { entry: 1 }],
    ]);
  });
  it("shows where we are in the largest type", () => {
    const chords = [{ bar: 6, text: "Am7" }];
    const [entry, next] = [entryShown({ chords }), entryShown({ title: "Kites" })];
    render(<LargeNow entry={entry} entries={[entry, next]} state={playing()} />);
    expect(screen.getByTestId("bar-beat").textContent).toBe("6.2");
    expect(screen.getByText("Am7")).toBeTruthy();
    expect(screen.getByText(/2 bars 3 beats/)).toBeTruthy();
  });
  it("becomes a rehearsal by two presses, from any bar and round and round", async () => {
    const [rehearse, press] = [vi.fn(), vi.fn()];
    show(<StageMenu loaded rehearsal={false} rehearse={rehearse} light={1} setLight={vi.fn()} />);
    await userEvent.click(screen.getByRole("button", { name: "Stage: nights, giving it back" }));
    await userEvent.click(screen.getByRole("menuitem", { name: "Make it a rehearsal" }));
    expect(rehearse).not.toHaveBeenCalled();
    await userEvent.click(screen.getByRole("button", { name: "Make it a rehearsal" }));
    expect(rehearse).toHaveBeenCalledExactlyOnceWith(true);
    const tonight = { ...playing().tonight, rehearsal: true };
    const { rerender } = render(
      <RehearsalTools entry={entryShown()} entries={[entryShown()]} state={playing({ tonight })} press={press} />,
    );
    const bar = screen.getByLabelText("From bar");
    await userEvent.clear(bar);
    await userEvent.type(bar, "1x2");
    await userEvent.click(screen.getByLabelText("with a count-in"));
    await userEvent.click(screen.getByRole("button", { name: "Play" }));
    await userEvent.click(screen.getByRole("button", { name: "Round and round" }));
    const round = { first: 1, last: 8 };
    rerender(
      <RehearsalTools
        entry={entryShown()}
        entries={[entryShown()]}
        state={playing({ tonight: { ...tonight, round } })}
        press={press}
      />,
    );
    await userEvent.click(screen.getByRole("button", { name: "1 to 8 go round: go on" }));
    expect(press.mock.calls).toEqual([
      ["from_bar", { bar: 12, count_in: false }],
      ["round_bars", round],
      ["round_bars", {}],
    ]);
    expect(screen.getByText(/^It is not prepared slower/)).toBeTruthy();
  });
  it("is played slower where the song is prepared so", async () => {
    const press = vi.fn();
    const [own, half, slow] = [entryShown(), 50, 80].map((one) =>
      typeof one === "number" ? { ...entryShown(), id: `x:slow${one}`, of: 0, percent: one } : one,
    ) as [EntryShown, EntryShown, EntryShown];
    render(<RehearsalTools entry={slow} entries={[own, half, slow]} state={playing()} press={press} />);
    const tempos = within(screen.getByRole("group", { name: "Tempo" }));
    expect(tempos.getAllByRole("button").map((b) => [b.textContent, b.getAttribute("aria-pressed")])).toEqual([
      ["50 %", "false"],
      ["80 %", "true"],
      ["100 %", "false"],
    ]);
    await userEvent.click(tempos.getByRole("button", { name: "100 %" }));
    expect(press).toHaveBeenCalledExactlyOnceWith("slower", { percent: 100 });
  });
});
