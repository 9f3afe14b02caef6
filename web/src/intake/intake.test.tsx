import { fireEvent, screen, waitFor, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import type { Finding, Offer } from "@/api/types";
import { serve, show, showSong, song, stem } from "@/test/helpers";

import { filesIn } from "./files";
import { Findings } from "./findings";
import { FolderDialog } from "./folder-dialog";
import { Offers } from "./offers";
import { SongsPage } from "@/songs/songs-page";

const finding = (code: string, more: Partial<Finding> = {}): Finding => ({
  stem: "Keys",
  code,
  severity: "fault",
  message: `“Keys” is ${code}.`,
  value: 12,
  unit: "ms",
  sure: 1,
  mend: "shift",
  state: "open",
  at_s: 8,
  ...more,
});
const withFindings = (list: Finding[], ready = true) =>
  song({ stems: [stem("Keys"), stem("Bass")], findings: { ready, list } });

describe("findings", () => {
  it("stand worst first with two in sight, the rest at a press", async () => {
    const list = [
      finding("late"),
      finding("clipped", { mend: null }),
      finding("fades", { severity: "check" }),
      finding("mono", { severity: "note", mend: null }),
    ];
    show(<Findings song={withFindings(list)} edit={vi.fn()} hear={vi.fn()} />);
    expect(screen.getAllByRole("listitem").map((i) => i.textContent?.slice(0, 6))).toEqual(["Wrong:", "Wrong:"]);
    await userEvent.click(screen.getByRole("button", { name: "1 more · 1 note" }));
    expect(screen.getAllByRole("listitem")).toHaveLength(4);
    expect(screen.getByText("Note:")).toBeTruthy();
  });
  it("are heard before and after, mended, taken back and left as they are", async () => {
    const [edit, hear] = [vi.fn(() => Promise.resolve(true)), vi.fn()];
    const { rerender } = show(
      <Findings song={withFindings([finding("late", { sure: 0.7 })])} edit={edit} hear={hear} />,
    );
    expect(screen.getByText("70 % sure")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "Hear it as it is" }));
    await userEvent.click(screen.getByRole("button", { name: "Hear it mended" }));
    expect(hear.mock.calls).toEqual([
      [8, { stem: "Keys", code: "late", mended: false }],
      [8, { stem: "Keys", code: "late", mended: true }],
    ]);
    await userEvent.click(screen.getByRole("button", { name: "Shift it" }));
    await userEvent.click(screen.getByRole("button", { name: "Leave it" }));
    expect(edit.mock.calls).toEqual([
      ["mend", { stem: "Keys", code: "late" }],
      ["accept_finding", { stem: "Keys", code: "late", accepted: true }],
    ]);
    rerender(<Findings song={withFindings([finding("late", { state: "mended" })])} edit={edit} hear={hear} />);
    expect(screen.getByText("All 2 stems are well.")).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: "1 note" }));
    await userEvent.click(screen.getByRole("button", { name: "Take the mend back" }));
    expect(edit).toHaveBeenLastCalledWith("unmend", { stem: "Keys", code: "late" });
  });
  it("are quiet when all is well, and say so while they are not known yet", () => {
    const { rerender } = show(<Findings song={withFindings([])} edit={vi.fn()} hear={vi.fn()} />);
    expect(screen.getByText("All 2 stems are well.")).toBeTruthy();
    expect(screen.queryByRole("button")).toBeNull();
    rerender(<Findings song={withFindings([], false)} edit={vi.fn()} hear={vi.fn()} />);
    expect(screen.getByRole("status").textContent).toContain("being compared");
    rerender(<Findings song={song()} edit={vi.fn()} hear={vi.fn()} />);
    expect(screen.queryByRole("region", { name: "What the stems show" })).toBeNull();
  });
});

describe("offers", () => {
  const offer = (more: Partial<Offer>): Offer => ({
    id: "o",
    kind: "sections",
    source: "parts.txt",
    title: null,
    bpm: null,
    sections: [],
    tempos: 0,
    meters: 0,
    worst_ms: 0,
    ...more,
  });
  it("say what they bring, are taken by an edit or done without", async () => {
    const fresh = song({ offers: [], title: "Fresh" });
    const asked = serve({ "DELETE songs/s/offers/f/": fresh });
    const edit = vi.fn(() => Promise.resolve(true));
    const offers = [
      offer({
        id: "s",
        worst_ms: 31,
        sections: [
          { bar: 1, name: "Intro", off_ms: 0 },
          { bar: 5, name: "Verse", off_ms: 31 },
        ],
      }),
      offer({ id: "t", kind: "tempo_map", source: "map.mid", bpm: "100", tempos: 3, meters: 1 }),
      offer({ id: "f", kind: "facts", source: "x.zip", title: "Night Ferry", bpm: "93.37" }),
    ];
    show(<Offers song={song({ offers })} edit={edit} />);
    const rows = screen.getAllByRole("listitem");
    expect(rows[0]?.textContent).toContain(
      "parts.txt marks 2 sections: Intro at 1, Verse at 5. The farthest lies 31 ms from its bar line.",
    );
    expect(rows[1]?.textContent).toContain("map.mid brings a tempo map: 3 tempos, one metre, starting at 100.00.");
    expect(rows[2]?.textContent).toContain("“Night Ferry”, 93.37 beats a minute");
    await userEvent.click(within(rows[0] as HTMLElement).getByRole("button", { name: "Take it" }));
    expect(edit).toHaveBeenCalledWith("take_offer", { offer: "s" });
    await userEvent.click(within(rows[2] as HTMLElement).getByRole("button", { name: "Do without" }));
    await waitFor(() => expect(asked.map((a) => `${a.method} ${a.path}`)).toEqual(["DELETE songs/s/offers/f/"]));
  });
});

describe("a song from a folder", () => {
  const file = (name: string, folder = "") => {
    const made = new File(["1234"], name);
    Object.defineProperty(made, "webkitRelativePath", { value: folder && `${folder}/${name}` });
    return made;
  };
  const read = {
    title: "Tin Moon Waltz",
    title_sure: 0.9,
    bpm: "138",
    bpm_sure: 0.9,
    stems: [
      { file: "bass.wav", name: "Bass", group: "rhythm", sure: 0.9 },
      { file: "x.wav", name: "X", group: "tonal", sure: 0.2 },
    ],
  };
  it("is read from the names, put right, made and sent", async () => {
    const made = song({ id: "n", title: "Tin Moon Waltz" });
    const asked = serve({ "GET songs/": [], "POST songs/read-names/": read, "POST songs/": made, "GET songs/n/": made, "GET songs/n/chart/*": { bars: [], calls: [], seconds: 0, form_bars: 0 },
      "GET uploads/*": [], "POST uploads/": () => ({ id: "u", status: "waiting", size: 4, received: 4, name: "x" }), "GET uploads/u/": { id: "u", status: "waiting" } }); // prettier-ignore
    show(<SongsPage />);
    await screen.findByText(/No songs yet/);
    const picker = document.querySelector("input[type=file]") as HTMLInputElement;
    fireEvent.change(picker, {
      target: {
        files: [
          file("x.wav", "Tin Moon Waltz 138"),
          file("bass.wav", "Tin Moon Waltz 138"),
          file("notes.pdf"),
          file("map.mid"),
        ],
      },
    });
    const dialog = within(await screen.findByRole("dialog"));
    expect((await dialog.findByLabelText<HTMLInputElement>("Title")).value).toBe("Tin Moon Waltz");
    expect(dialog.getByText("1 file is left out: notes.pdf")).toBeTruthy();
    expect(dialog.getByText(/Also sent: map.mid/)).toBeTruthy();
    await userEvent.clear(dialog.getByLabelText("Name of x.wav"));
    await userEvent.type(dialog.getByLabelText("Name of x.wav"), "Shakers");
    await userEvent.selectOptions(dialog.getByLabelText("Group of x.wav"), "rhythm");
    await userEvent.click(dialog.getByRole("checkbox", { name: "Take bass.wav" }));
    await userEvent.click(dialog.getByRole("button", { name: "Make the song with 1 stem" }));
    await waitFor(() =>
      expect(asked.find((a) => a.path === "songs/" && a.method === "POST")?.body).toEqual({
        title: "Tin Moon Waltz",
        bpm: "138",
      }),
    );
    // The song's page sends what was chosen as soon as it is open.
    showSong("", "n");
    await waitFor(() => expect(asked.filter((a) => a.path === "uploads/" && a.method === "POST")).toHaveLength(2));
    const sent = asked
      .filter((a) => a.path === "uploads/" && a.method === "POST")
      .map((a) => a.body as { name: string; stem_name?: string; group?: string });
    expect(sent).toContainEqual({ song: "n", name: "x.wav", size: 4, stem_name: "Shakers", group: "rhythm" });
    expect(sent).toContainEqual({ song: "n", name: "map.mid", size: 4 });
  });
  it("says so where there is nothing to make it of", async () => {
    serve({ "POST songs/read-names/": { ...read, stems: [] } });
    show(<FolderDialog dropped={{ folder: "a", files: [file("notes.pdf")] }} onClose={vi.fn()} />);
    expect(await screen.findByText(/There are no sound files here/)).toBeTruthy();
    expect(screen.getByRole("button", { name: "Make the song" })).toHaveProperty("disabled", true);
  });
  it("takes files in the order of their names, hidden ones left out", () => {
    const list = ["10 b.wav", "2 a.wav", ".DS_Store"].map((n) => file(n, "F"));
    expect(filesIn(list as unknown as FileList)).toEqual({ folder: "F", files: [list[1], list[0]] });
  });
});
