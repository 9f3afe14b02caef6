import { act, fireEvent, screen } from "@testing-library/react";
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
    listen: vi.fn(),
    listening: null,
    ...more,
  });

let again = () => {};

function Page() {
  const [, redraw] = useReducer((n: number) => n + 1, 0);
  again = redraw;
  return <StagePage band="Our band" port={1} />;
}

it("keeps the view that was open while contact is lost, and its own keys; only presses wait", () => {
  serve({ "GET players": [] });
  onTheLine({});
  show(<Page />);
  fireEvent.keyDown(document.body, { key: "p" });
  expect(screen.getByRole("button", { name: /P$/, pressed: true })).toBeTruthy();
  onTheLine({ lost: new Date() });
  act(again);
  expect(screen.getByRole("alert").textContent).toMatch(/No contact/);
  fireEvent.keyDown(document.body, { key: "o" });
  expect(press).not.toHaveBeenCalled();
  onTheLine({});
  act(again);
  expect(screen.getByRole("button", { name: /P$/, pressed: true })).toBeTruthy();
  onTheLine({ lost: new Date() });
  act(again);
  fireEvent.keyDown(document.body, { key: "p" });
  expect(screen.getByRole("button", { name: /P$/, pressed: false })).toBeTruthy();
});
