import { screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import { load, serve, show } from "@/test/helpers";

import { LoadWord } from "./load-word";
import { NoShow } from "./no-show";
import { StageMenu } from "./stage-menu";

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
    show(<StageMenu loaded={false} />);
    await chosen("Nights that were written down");
    const link = await screen.findByRole("link", { name: /Save Thursday, 27 Nov 2026/ });
    expect(link.getAttribute("href")).toBe(`/api/nights/${night.name}/`);
    expect(screen.getByText(/Kept for 90 days/)).toBeTruthy();
  });
  it("is given back once that is meant", async () => {
    const asked = serve({ "DELETE engine/": {} });
    show(<StageMenu loaded />);
    await chosen("Give the stage back");
    expect(asked).toEqual([]);
    await userEvent.click(await screen.findByRole("button", { name: "Give the stage back" }));
    expect(asked.map((a) => `${a.method} ${a.path}`)).toEqual(["DELETE engine/"]);
  });
});
