import { act, fireEvent, render, renderHook, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { entryShown, playing } from "@/test/helpers";

import { Transport } from "./transport";
import { useHold } from "./use-hold";
import { useStageKeys } from "./use-stage-keys";

const entry = entryShown();
const when = "next_bar" as const;
const position = (more: object) => ({ ...playing().position, ...more });

describe("the hands", () => {
  const all = {
    entry,
    following: entryShown({ id: "f", title: "Kites" }),
    when,
    held: null,
  };
  beforeEach(() => void vi.useFakeTimers({ shouldAdvanceTime: true }));
  afterEach(() => void vi.useRealTimers());

  it("cannot go while a song plays, and release only a vamp", () => {
    const press = vi.fn();
    const { rerender } = render(<Transport {...all} state={playing()} press={press} />);
    expect(screen.getByRole("button", { name: /^Go/ })).toHaveProperty("disabled", true);
    fireEvent.click(screen.getByRole("button", { name: /Release/ }));
    fireEvent.click(screen.getByRole("button", { name: /Once more/ }));
    expect(press.mock.calls).toEqual([["release"], ["once_more", { when: "next_bar" }]]);
    rerender(<Transport {...all} state={playing({ position: position({ step: 1 }) })} press={press} />);
    expect(screen.getByRole("button", { name: /Release/ })).toHaveProperty("disabled", true);
  });
  it("stop only when they mean it", () => {
    const press = vi.fn();
    render(<Transport {...all} state={playing()} press={press} />);
    const stop = screen.getByRole("button", { name: /^Stop/ });
    fireEvent.pointerDown(stop, { button: 0 });
    act(() => void vi.advanceTimersByTime(300));
    fireEvent.pointerUp(stop);
    act(() => void vi.advanceTimersByTime(1000));
    expect(press).not.toHaveBeenCalled();
    fireEvent.pointerDown(stop, { button: 0 });
    act(() => void vi.advanceTimersByTime(600));
    expect(press).toHaveBeenCalledExactlyOnceWith("stop");
  });
  it("resume from the bar where it stopped", () => {
    const press = vi.fn();
    render(
      <Transport {...all} state={playing({ status: "stopped", position: position({ bar: 12 }) })} press={press} />,
    );
    expect(screen.getByText("R · from bar 12")).toBeTruthy();
    fireEvent.click(screen.getByRole("button", { name: /Resume/ }));
    expect(press).toHaveBeenCalledWith("resume");
  });
  it("press by key, but not while something is typed or held with Ctrl", () => {
    const press = vi.fn();
    renderHook(() => useStageKeys({ state: playing(), entry, when, press }));
    const key = (k: string, more: object = {}, target: Element = document.body) =>
      fireEvent.keyDown(target, { key: k, ...more });
    for (const k of ["g", "r", "o", "n", "h", "Backspace", "2", " "]) key(k);
    expect(press.mock.calls.map((c) => c[0] as string)).toEqual([
      "go",
      "release",
      "once_more",
      "stand_by",
      "pull_house",
      "take_back",
      "go_to",
      "go",
    ]);
    press.mockClear();
    key("g", { ctrlKey: true });
    key("g", { repeat: true });
    const field = document.body.appendChild(document.createElement("input"));
    key("g", {}, field);
    field.remove();
    key("9");
    expect(press).not.toHaveBeenCalled();
    key("s");
    act(() => void vi.advanceTimersByTime(600));
    key("s", { repeat: true });
    expect(press).toHaveBeenCalledExactlyOnceWith("stop");
  });
  it("do not stop by a key whose release was lost, or in a page that stood still", () => {
    const press = vi.fn();
    renderHook(() => useStageKeys({ state: playing(), entry, when, press }));
    fireEvent.keyDown(document.body, { key: "s" });
    act(() => void vi.advanceTimersByTime(3000));
    fireEvent.keyDown(document.body, { key: "s", repeat: true });
    expect(press).not.toHaveBeenCalled();
  });
  it("press by key while a list has the focus, and do nothing without contact", () => {
    const press = vi.fn();
    const list = document.body.appendChild(document.createElement("select"));
    const { rerender } = renderHook((off: boolean) => useStageKeys({ state: playing(), entry, when, press, off }));
    fireEvent.keyDown(list, { key: "h" });
    expect(press).toHaveBeenCalledExactlyOnceWith("pull_house");
    rerender(true);
    fireEvent.keyDown(list, { key: "h" });
    expect(press).toHaveBeenCalledOnce();
    list.remove();
  });
  it("begin a stopped song again only when they mean it; Space does nothing then", () => {
    const press = vi.fn();
    renderHook(() => useStageKeys({ state: playing({ status: "stopped" }), entry, when, press }));
    fireEvent.keyDown(document.body, { key: "g" });
    fireEvent.keyUp(document.body, { key: "g" });
    fireEvent.keyDown(document.body, { key: " " });
    act(() => void vi.advanceTimersByTime(1000));
    expect(press).not.toHaveBeenCalled();
    fireEvent.keyDown(document.body, { key: "g" });
    act(() => void vi.advanceTimersByTime(600));
    fireEvent.keyDown(document.body, { key: "g", repeat: true });
    expect(press).toHaveBeenCalledExactlyOnceWith("begin_again");
  });
  it("press a button once however long Enter is held, and leave no focus on it for Space", async () => {
    vi.useRealTimers();
    const press = vi.fn();
    render(<Transport {...all} state={playing({ status: "standby" })} press={press} />);
    const next = screen.getByRole("button", { name: /Next song/ });
    await userEvent.click(next);
    expect(document.activeElement).not.toBe(next);
    next.focus();
    expect(fireEvent.keyDown(next, { key: "Enter", repeat: true })).toBe(false);
    expect(press.mock.calls).toEqual([["stand_by"]]);
  });
  it("let a hold go when the key does", () => {
    const done = vi.fn();
    const { result } = renderHook(() => useHold(done));
    act(() => result.current.key(false));
    expect(result.current.holding).toBe(true);
    act(() => result.current.end());
    act(() => void vi.advanceTimersByTime(1000));
    expect(done).not.toHaveBeenCalled();
  });
});
