import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import { serve, setlist, show } from "@/test/helpers";

import { PlaylistDialog } from "./playlist-dialog";

const told = (state: string, more = {}) => ({ state, progress: 0, message: "", at: 1_795_000_000, ...more });

describe("a setlist as sound", () => {
  it("is begun, followed, called off", async () => {
    const asked = serve({
      "GET setlists/l/playlist/": told("none", { at: null }),
      "POST setlists/l/playlist/": told("working", { progress: 0.4 }),
      "DELETE setlists/l/playlist/": told("none"),
    });
    show(<PlaylistDialog setlist={setlist()} onClose={vi.fn()} />);
    await userEvent.click(await screen.findByRole("button", { name: "Make it" }));
    expect((await screen.findByRole("status")).textContent).toBe("40 % made");
    await userEvent.click(screen.getByRole("button", { name: "Call it off" }));
    await waitFor(() => expect(asked.map((a) => a.method)).toContain("DELETE"));
    expect(await screen.findByRole("button", { name: "Make it" })).toBeTruthy();
  });
  it("is saved once it is made, and says why it could not be", async () => {
    serve({ "GET setlists/l/playlist/": told("done") });
    show(<PlaylistDialog setlist={setlist()} onClose={vi.fn()} />);
    const save = await screen.findByRole("link", { name: "Save" });
    expect(save.getAttribute("href")).toBe("/api/setlists/l/playlist/file/");
    expect(screen.getByRole("button", { name: "Make it anew" })).toBeTruthy();
    serve({ "GET setlists/l/playlist/": told("refused", { message: "“Kites” has lost its file." }) });
    show(<PlaylistDialog setlist={setlist({ id: "l" })} onClose={vi.fn()} />);
    expect(await screen.findByText(/“Kites” has lost its file/)).toBeTruthy();
  });
});
