import { render, screen } from "@testing-library/react";
import { expect, test } from "vitest";

import { SectionWords } from "./section-words";

test("chords and the place of a line are set apart from what is sung", () => {
  render(<SectionWords words={"@3.2 [Em]Tin horns\n@5\nhome @ last"} />);
  const lines = screen.getAllByRole("paragraph").map((p) => [...p.childNodes].map((n) => [n.nodeName, n.textContent]));
  expect(lines).toEqual([
    [
      ["SMALL", "@3.2"],
      ["#text", " "],
      ["B", "Em"],
      ["#text", "Tin horns"],
    ],
    [["SMALL", "@5"]],
    [["#text", "home @ last"]],
  ]);
});
