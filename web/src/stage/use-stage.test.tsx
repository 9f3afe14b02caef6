import { act, renderHook } from "@testing-library/react";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { playing } from "@/test/helpers";

import { useStage } from "./use-stage";

class Line {
  static all: Line[] = [];
  static readonly OPEN = 1;
  readyState = 1;
  sent: string[] = [];
  onopen?: () => void;
  onclose?: () => void;
  onmessage?: (e: { data: string }) => void;
  constructor() {
    Line.all.push(this);
  }
  send(text: string) {
    this.sent.push(text);
  }
  close() {
    this.readyState = 3;
    this.onclose?.();
  }
  tell(what: object) {
    this.onmessage?.({ data: JSON.stringify(what) });
  }
}

describe("the line to the engine", () => {
  let frames: (() => void)[] = [];
  const draw = () => act(() => frames.splice(0).forEach((f) => f()));
  beforeEach(() => {
    Line.all = [];
    frames = [];
    vi.useFakeTimers();
    vi.stubGlobal("WebSocket", Line);
    vi.stubGlobal("requestAnimationFrame", (f: () => void) => frames.push(f));
    vi.stubGlobal("cancelAnimationFrame", () => (frames = []));
  });
  afterEach(() => {
    vi.unstubAllGlobals();
    vi.useRealTimers();
  });

  it("shows the newest of many states, and says how many it has seen", () => {
    const { result } = renderHook(() => useStage(8801));
    const line = Line.all[0] as Line;
    for (const entry of [1, 2, 3]) act(() => line.tell({ state: playing({ entry }) }));
    expect(result.current.state).toBeNull();
    expect(line.sent).toEqual([]);
    draw();
    expect(result.current.state).toMatchObject({ entry: 3 });
    expect(line.sent).toEqual(['{"seen": true}', '{"seen": true}', '{"seen": true}']);
  });
  it("keeps what it showed when the engine fell silent, and says since when", () => {
    const { result } = renderHook(() => useStage(8801));
    act(() => Line.all[0]?.tell({ state: playing({ entry: 2 }) }));
    draw();
    act(() => Line.all[0]?.tell({ state: { status: "silent" } }));
    draw();
    expect(result.current.silent).toBeInstanceOf(Date);
    expect(result.current.state).toMatchObject({ entry: 2 });
    act(() => Line.all[0]?.tell({ state: playing({ entry: 3 }) }));
    draw();
    expect(result.current.silent).toBeNull();
    expect(result.current.state).toMatchObject({ entry: 3 });
  });
  it("comes back by itself after a break, and shows nothing old meanwhile", () => {
    const { result } = renderHook(() => useStage(8801));
    act(() => Line.all[0]?.tell({ state: playing() }));
    draw();
    act(() => Line.all[0]?.close());
    expect(result.current.lost).toBeTruthy();
    act(() => void vi.advanceTimersByTime(300));
    expect(Line.all).toHaveLength(2);
    act(() => Line.all[1]?.close());
    act(() => void vi.advanceTimersByTime(300));
    expect(Line.all).toHaveLength(2);
    act(() => void vi.advanceTimersByTime(600));
    expect(Line.all).toHaveLength(3);
  });
  it("tells what came of a press, and says so if it was not sent", () => {
    const { result } = renderHook(() => useStage(8801));
    const line = Line.all[0] as Line;
    act(() => result.current.press("go_to", { step: 2 }));
    expect(JSON.parse(line.sent[0] as string)).toEqual({ press: "go_to", args: { step: 2 } });
    act(() => line.tell({ pong: performance.now() - 10, now: 5000 }));
    act(() => result.current.press("go"));
    expect((JSON.parse(line.sent[1] as string) as { made: number }).made).toBeCloseTo(5005, 0);
    act(() => line.tell({ answer: { ok: true, accepted: true, late: true, message: "Too late for the bar line." } }));
    expect(result.current.said).toMatchObject({ text: "Too late for the bar line.", bad: true });
    act(() => line.tell({ answer: { ok: false, problems: [{ message: "No show." }] } }));
    expect(result.current.said).toMatchObject({ text: "No show.", bad: true });
    line.readyState = 3;
    act(() => result.current.press("take_back"));
    expect(result.current.said).toMatchObject({ text: "", bad: true });
  });
  it("takes two hits of one press within 60 ms as one", () => {
    const { result } = renderHook(() => useStage(8801));
    const line = Line.all[0] as Line;
    for (const wait of [20, 20, 100])
      act(() => {
        result.current.press("stand_by");
        vi.advanceTimersByTime(wait);
      });
    act(() => result.current.press("stand_by"));
    expect(line.sent.filter((m) => m.includes("stand_by"))).toHaveLength(2);
  });
  it("says that it lost contact with a server that hangs, and since when", () => {
    const { result } = renderHook(() => useStage(8801));
    const line = Line.all[0] as Line;
    act(() => line.onopen?.());
    expect(JSON.parse(line.sent[0] as string)).toHaveProperty("ping");
    act(() => line.tell({ pong: performance.now(), now: 5000 }));
    act(() => line.tell({ state: playing() }));
    draw();
    act(() => void vi.advanceTimersByTime(600));
    expect(result.current).toMatchObject({ lost: null, state: { status: "playing" } });
    act(() => void vi.advanceTimersByTime(150));
    const since = result.current.lost;
    expect(since).toBeInstanceOf(Date);
    act(() => void vi.advanceTimersByTime(600));
    expect(result.current.lost).toBe(since);
    act(() => line.tell({ state: playing() }));
    draw();
    expect(result.current.lost).toBeNull();
  });
});
