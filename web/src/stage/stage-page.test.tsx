import { fireEvent, screen } from "@testing-library/react";
import { useReducer } from "react";
import { expect, it, vi } from "vitest";

import { described, playing, serve, show } from "@/test/helpers";

import { StagePage } from "./stage-page";
import { useStage } from "./use-stage";

vi.mock("./use-stage");

const press = vi.fn();
const onTheLine = (more: object) =>
  vi.mocked(useStage).mockReturnValue({
    state: playing(),
    lost: null,
    silent: null,
    show: described(),
    said: null,
    press,
    keys: { page: [], machine: [] },
    devices: [],
    key: vi.fn(),
    joining: null,
    askIn: vi.fn(),
    listen: vi.fn(),
    listening: null,
    ...more,
  });

const again = () => fireEvent.click(screen.getByText("again"));

function Page() {
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  return (
    <>
      <button onClick={redraw}>again</button>
      <StagePage band="Our band" port={1} />
    </>
  );
}

it("keeps the view that was open while contact is lost, and its own keys; only presses wait", () => {
  serve({ "GET players": [] });
  onTheLine({});
  show(<Page />);
  fireEvent.keyDown(document.body, { key: "p" });
  expect(screen.getByRole("button", { name: /P$/, pressed: true })).toBeTruthy();
  onTheLine({ lost: new Date() });
  again();
  expect(screen.getByRole("alert").textContent).toMatch(/No contact/);
  fireEvent.keyDown(document.body, { key: "o" });
  expect(press).not.toHaveBeenCalled();
  onTheLine({});
  again();
  expect(screen.getByRole("button", { name: /P$/, pressed: true })).toBeTruthy();
  onTheLine({ lost: new Date() });
  again();
  fireEvent.keyDown(document.body, { key: "p" });
  expect(screen.getByRole("button", { name: /P$/, pressed: false })).toBeTruthy();
});

it("gives the keys that are bound to the hands, once each, and keeps its own", () => {
  serve({ "GET players": [] });
  const key = vi.fn();
  onTheLine({ keys: { page: ["PageDown", "o"], machine: ["k"] }, key });
  show(<Page />);
  press.mockClear();
  fireEvent.keyDown(document.body, { key: "PageDown" });
  fireEvent.keyDown(document.body, { key: "PageDown", repeat: true });
  fireEvent.keyUp(document.body, { key: "PageDown" });
  fireEvent.keyDown(document.body, { key: "o" });
  expect(key.mock.calls.map(([name, down]: unknown[]) => [name, down])).toEqual([
    ["PageDown", true],
    ["PageDown", false],
    ["o", true],
  ]);
  // The machine has read this one itself.
  fireEvent.keyDown(document.body, { key: "k" });
  expect(press).not.toHaveBeenCalled();
  fireEvent.keyDown(document.body, { key: "m" });
  expect(press).toHaveBeenCalledWith("more", { rounds: 1 });
});

it("is the stage for one hand on a phone, and the whole one where the window is wide again", () => {
  serve({ "GET players": [] });
  onTheLine({});
  const wide = window.innerWidth;
  const sized = (width: number) => {
    window.innerWidth = width;
    fireEvent(window, new Event("resize"));
  };
  show(<Page />);
  expect(screen.queryByRole("main", { name: "The stage in one hand" })).toBeNull();
  sized(390);
  expect(screen.getByRole("main", { name: "The stage in one hand" })).toBeTruthy();
  fireEvent.keyDown(document.body, { key: "o" });
  expect(press).toHaveBeenCalledWith("once_more", expect.anything());
  sized(wide);
  expect(screen.queryByRole("main", { name: "The stage in one hand" })).toBeNull();
});
