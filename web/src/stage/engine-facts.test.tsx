import { render, screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";

import { entryShown, load, playing } from "@/test/helpers";

import { EngineFacts } from "./engine-facts";
import { Here } from "./now";

describe("the engine's facts", () => {
  it.each([
    [{}, /Engine steady · no dropouts · simulated, 42 ms/],
    [{ dropouts: 3 }, /3 dropouts/],
    [{ renderers: 1 }, /one renderer alone/],
    [{ device_there: false, device_problem: "“Box” is gone." }, /sound goes nowhere: “Box” is gone\./],
    [{ channels: 2, unheard: [3, 4] }, /the interface has 2 outputs: what is on sockets 3, 4 is not heard/],
    [
      { load: load({ gone: ["database", "web"] }) },
      /gone, and being started again: Database, Web server; the show goes on/,
    ],
    [{ unreadable: ["Choir", "Bass"] }, /cannot be read, and is silent: Choir, Bass/],
    [{ unwritten: true, faults: 2 }, /a fault in the sound.* · the night is not being written down/],
  ])("say what is wrong in words %#", (more, text) => {
    const { container } = render(<EngineFacts state={playing(more)} />);
    expect(container.textContent).toMatch(text);
  });
});

describe("where we are", () => {
  it.each([
    [{ status: "standby", pad: false }, "Paper Boats stands by"],
    [{ status: "standby", pad: true }, "Paper Boats stands by; a pad sounds until then"],
    [{ status: "playing", pad: true }, "Paper Boats"],
  ] as const)("says whether a pad sounds %#", (more, text) => {
    render(<Here entry={entryShown({ title: "Paper Boats" })} state={playing(more)} />);
    expect(screen.getByText(text)).toBeTruthy();
  });
});
