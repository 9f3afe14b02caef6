import { act, renderHook } from "@testing-library/react";
import { describe, expect, it } from "vitest";

import { useSelection } from "./use-selection";

describe("bars chosen on the chart", () => {
  it("reach from the anchor to the hand, either way", () => {
    const { result } = renderHook(() => useSelection(32));
    act(() => result.current.start(9));
    act(() => result.current.extend(16));
    expect(result.current.span).toEqual({ first: 9, last: 16 });
    act(() => result.current.extend(4));
    expect(result.current.span).toEqual({ first: 4, last: 9 });
  });
  it("stay inside the song, also when it grows shorter", () => {
    const { result, rerender } = renderHook(({ bars }) => useSelection(bars), { initialProps: { bars: 32 } });
    act(() => result.current.start(30));
    act(() => result.current.extend(99));
    expect(result.current.span).toEqual({ first: 30, last: 32 });
    rerender({ bars: 10 });
    expect(result.current.span).toEqual({ first: 10, last: 10 });
    act(() => result.current.clear());
    expect(result.current.span).toBeNull();
  });
});
