import { fireEvent, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it } from "vitest";

import { refusal, serve, show } from "@/test/helpers";

import { SongsPage } from "./songs-page";

const row = (i: number, more = {}) => ({
  id: `s${i}`,
  title: `Number ${i}`,
  key: "",
  bpm: "120",
  meter: "4/4",
  stems: 0,
  bars: 32,
  seconds: 64,
  sections: [{ name: "Song", bars: 32, colour: 1 }],
  problem: null,
  to_do: [],
  ...more,
});

describe("the list of songs", () => {
  it("draws what is seen of a thousand songs, and finds the last of them", async () => {
    serve({ "GET songs/": Array.from({ length: 1000 }, (_, i) => row(i + 1)) });
    const { container } = show(<SongsPage />);
    expect(await screen.findByRole("link", { name: "Number 1" })).toBeTruthy();
    expect(screen.getAllByRole("link").length).toBeLessThan(80);
    const list = container.querySelector(".overflow-auto") as HTMLElement;
    list.scrollTop = 46 * 900;
    fireEvent.scroll(list);
    expect(await screen.findByRole("link", { name: "Number 900" })).toBeTruthy();
    expect(screen.queryByRole("link", { name: "Number 1" })).toBeNull();
    list.scrollTop = 0;
    fireEvent.scroll(list);
    await userEvent.type(screen.getByRole("searchbox"), "Number 1000");
    expect(screen.getAllByRole("link").map((l) => l.textContent)).toEqual(["Number 1000"]);
  });
  it("finds by a part of the title and says when there is none", async () => {
    serve({
      "GET songs/": [row(1, { title: "Night Ferry" })],
    });
    show(<SongsPage />);
    expect(await screen.findByRole("link", { name: "Night Ferry" })).toBeTruthy();
    expect(screen.getByText("click alone")).toBeTruthy();
    await userEvent.type(screen.getByRole("searchbox"), "waltz");
    expect(screen.getByText(/No song with “waltz”/)).toBeTruthy();
  });
  it("says what is wrong with a song, in its row", async () => {
    serve({ "GET songs/": [row(1, { problem: "The tempo cannot be read." })] });
    show(<SongsPage />);
    expect(await screen.findByText("The tempo cannot be read.")).toBeTruthy();
  });
  it("makes a song of what was typed, the metre with its grouping, and keeps it where it is refused", async () => {
    const asked = serve({
      "GET songs/": [],
      "POST songs/": ({ body }: { body: unknown }) =>
        (body as { bpm?: string }).bpm === "fast" ? refusal("“fast” is not a tempo.") : row(5, { title: "Seven" }),
    });
    show(<SongsPage />);
    await userEvent.click(await screen.findByRole("button", { name: "New song" }));
    const dialog = await screen.findByRole("dialog");
    await userEvent.type(screen.getByLabelText("Title"), "Seven");
    await userEvent.type(screen.getByLabelText("Metre"), "7/8 2+2+3");
    await userEvent.type(screen.getByLabelText("Tempo in beats a minute"), "fast{Enter}");
    expect(await screen.findByText("“fast” is not a tempo.")).toBeTruthy();
    expect(dialog.isConnected).toBe(true);
    expect(screen.getByLabelText<HTMLInputElement>("Metre").value).toBe("7/8 2+2+3");
    await userEvent.clear(screen.getByLabelText("Tempo in beats a minute"));
    await userEvent.type(screen.getByLabelText("Tempo in beats a minute"), "96{Enter}");
    const made = asked.filter((a) => a.method === "POST").at(-1)?.body;
    expect(made).toEqual({ title: "Seven", bpm: "96", meter: "7/8 2+2+3" });
  });
  it("that cannot be read says so, and is asked for again", async () => {
    let broken = true;
    serve({ "GET songs/": () => (broken ? refusal("The database is away.", 503) : [row(1)]) });
    show(<SongsPage />);
    expect(await screen.findByText(/The database is away/)).toBeTruthy();
    broken = false;
    await userEvent.click(screen.getByRole("button", { name: /again/i }));
    expect(await screen.findByRole("link", { name: "Number 1" })).toBeTruthy();
  });
});

describe("a new song", () => {
  const made = { id: "new", title: "Click" };
  async function filled(length: string, more: Record<string, unknown> = {}) {
    const asked = serve({ "GET songs/": [], "POST songs/": made, ...more });
    show(<SongsPage />, "/songs", "/songs");
    await userEvent.click(await screen.findByRole("button", { name: "New song" }));
    await userEvent.type(screen.getByLabelText("Title"), "Click");
    await userEvent.type(screen.getByLabelText("Tempo in beats a minute"), "96");
    if (length) await userEvent.type(screen.getByLabelText("Length, such as 3:30"), length);
    return () => asked.filter((a) => a.method === "POST").map((a) => a.body);
  }
  const make = () => userEvent.click(screen.getByRole("button", { name: "Make the song" }));

  it("is as long as was typed, and its page is opened", async () => {
    const sent = await filled("3:30");
    await make();
    expect(await screen.findByText("elsewhere")).toBeTruthy();
    expect(sent()).toEqual([{ title: "Click", bpm: "96", seconds: 210 }]);
  });
  it("goes on until it is stopped, whatever length was typed before", async () => {
    const sent = await filled("3:30");
    await userEvent.click(screen.getByRole("checkbox", { name: "Until it is stopped" }));
    await make();
    expect(await screen.findByText("elsewhere")).toBeTruthy();
    expect(sent()).toEqual([{ title: "Click", bpm: "96", until_stopped: true }]);
  });
  it("says what is no length, and keeps what was typed", async () => {
    const sent = await filled("long");
    await make();
    expect(await screen.findByText(/“long” is no length/)).toBeTruthy();
    expect(sent()).toEqual([]);
    expect(screen.getByLabelText("Title")).toHaveProperty("value", "Click");
  });
});
