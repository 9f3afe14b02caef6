import { render, screen, within } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import "@/wording";

import type { DeviceNow as Sent } from "@/api/types";

import { type Ahead, DeviceNow } from "./device-now";

const keys: Sent = {
  id: "keys",
  name: "Keyboard",
  there: true,
  why: "",
  sent: 3,
  dropped: 0,
  late_ms: 0.4,
  last: [{ message: "program", name: "Pipes", data: "c0 1e", late_ms: 0.2 }],
};
const ahead: Ahead = {
  device: "keys",
  program: 1,
  programs: 3,
  coming: [{ bar: 9, message: "controller", name: "", data: "b0 0b 6e" }],
};

describe("a device on the stage", () => {
  it("says what was sent and what comes, and sends by a press", async () => {
    const press = vi.fn();
    render(<DeviceNow device={keys} ahead={ahead} named={[{ id: "horn", name: "Ferry horn" }]} press={press} />);
    expect(within(screen.getByRole("list", { name: "Sent last to Keyboard" })).getByText("Pipes")).toBeTruthy();
    const coming = within(screen.getByRole("list", { name: "Comes to Keyboard" }));
    expect(coming.getByText("Controller")).toBeTruthy();
    expect(coming.getByText("bar 9")).toBeTruthy();
    expect(screen.getByText("Program 1 of 3")).toBeTruthy();
    for (const name of ["Next program", "Program before", "Program of this place", "Send Ferry horn now"])
      await userEvent.click(screen.getByRole("button", { name }));
    expect(press.mock.calls).toEqual([
      ["program", { device: "keys", by: 1 }],
      ["program", { device: "keys", by: -1 }],
      ["program_here", { device: "keys" }],
      ["send", { device: "keys", message: "horn" }],
    ]);
  });
  it("says where nothing comes", () => {
    render(<DeviceNow device={keys} ahead={{ ...ahead, coming: [], programs: 0 }} named={[]} press={vi.fn()} />);
    expect(screen.getByText("nothing in this section or the next")).toBeTruthy();
    expect(screen.queryByRole("button")).toBeNull();
  });
});
