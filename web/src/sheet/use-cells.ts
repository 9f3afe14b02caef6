import { useState } from "react";

import type { Edit } from "@/api/edits";
import type { Song } from "@/api/types";
import type { PageEars } from "@/hear/use-ears";
import type { ChosenLineUp } from "@/people/line-up";

import { type Block, copied, type Copied, kind, pasted, within } from "./block";

interface Args {
  song: Song;
  block: Block;
  edit: Edit;
  ears: PageEars;
  lineUp: ChosenLineUp;
}

/** What can be done with the chosen cells: set, copied, pasted, spread to their like, heard. */
export function useCells({ song, block, edit, ears, lineUp }: Args) {
  const [kept, setKept] = useState<Copied | null>(null);
  const { stems, sections } = within(song, block);
  const names = { stems: stems.map((s) => s.id), sections: sections.map((s) => s.id) };
  const set = (change: Record<string, unknown>) => edit("set_cells", { ...names, ...change });
  const turn = () => void set({ tacet: !stems.every((s) => names.sections.every((x) => s.tacet.includes(x))) });
  const copy = () => setKept(copied(song, block));
  const paste = kept && (() => void edit("set_cells", { cells: pasted(song, block, kept) }));
  // What the first chosen section has, in every section of its kind.
  const same = () => {
    const from = copied(song, { ...block, toCol: block.col, col: block.col });
    const like = song.sections.filter((s) => kind(s.name) === kind(sections[0]?.name ?? ""));
    const cells = stems.flatMap((stem, i) => like.map((s) => ({ stem: stem.id, section: s.id, ...from.rows[i]?.[0] })));
    void edit("set_cells", { cells });
  };
  const hear = (alone: boolean) => {
    const [first, last] = [sections[0], sections.at(-1)];
    if (!first || !last) return;
    const loop = last.first_bar + last.bars - first.first_bar;
    const one = stems[0]?.id;
    ears.hear({
      song: song.id,
      bar: first.first_bar,
      form: "full",
      click: false,
      cues: false,
      loop,
      ...(alone && one ? { alone: one } : { line_up: lineUp.id }),
    });
  };
  return { set, turn, copy, paste, same, hearAlone: () => hear(true), hearWith: () => hear(false) };
}

export type Cells = ReturnType<typeof useCells>;
