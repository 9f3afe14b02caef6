import { fireEvent, render, screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { describe, expect, it, vi } from "vitest";

import { Typed } from "./typed";
import { TypedArea } from "./typed-area";
import { useWindow } from "./use-window";

describe("a field that is typed in", () => {
  it("says the text once, on Enter, without spaces around it", async () => {
    const done = vi.fn();
    render(<Typed aria-label="Name" value="Kites" onDone={done} />);
    const field = screen.getByLabelText("Name");
    await userEvent.clear(field);
    await userEvent.type(field, "  Boats {Enter}");
    expect(done.mock.calls).toEqual([["Boats"]]);
  });
  it("says nothing where the text is the same, and nothing after Escape", async () => {
    const done = vi.fn();
    render(<Typed aria-label="Name" value="Kites" onDone={done} />);
    const field = screen.getByLabelText<HTMLInputElement>("Name");
    await userEvent.type(field, "{Enter}");
    await userEvent.type(field, " and more{Escape}");
    expect(field.value).toBe("Kites");
    expect(done).not.toHaveBeenCalled();
    // What is typed after that counts again.
    await userEvent.type(field, "!{Enter}");
    expect(done.mock.calls).toEqual([["Kites!"]]);
  });
  it("goes back to what stood there where it was refused", async () => {
    render(<Typed aria-label="Tempo" value="120" onDone={() => Promise.resolve(false)} />);
    const field = screen.getByLabelText<HTMLInputElement>("Tempo");
    await userEvent.clear(field);
    await userEvent.type(field, "fast{Enter}");
    await waitFor(() => expect(field.value).toBe("120"));
  });
  it("shows what another person changed", () => {
    const { rerender } = render(<Typed aria-label="Name" value="Kites" onDone={vi.fn()} />);
    rerender(<Typed aria-label="Name" value="Moon" onDone={vi.fn()} />);
    expect(screen.getByLabelText<HTMLInputElement>("Name").value).toBe("Moon");
  });
});

describe("a field of several lines", () => {
  it("keeps its lines, and is done when it is left", async () => {
    const done = vi.fn();
    render(<TypedArea aria-label="Note" value="" onDone={done} />);
    await userEvent.type(screen.getByLabelText("Note"), "soft{Enter}then loud");
    expect(done).not.toHaveBeenCalled();
    await userEvent.tab();
    expect(done.mock.calls).toEqual([["soft\nthen loud"]]);
  });
  it("of one line breaks by itself: Enter is done, and pasted line breaks become spaces", async () => {
    const done = vi.fn();
    render(<TypedArea aria-label="Title" value="Kites" oneLine onDone={done} />);
    const field = screen.getByLabelText("Title");
    await userEvent.clear(field);
    await userEvent.click(field);
    await userEvent.paste("A title\nof two lines");
    await userEvent.keyboard("{Enter}");
    expect(done.mock.calls).toEqual([["A title of two lines"]]);
  });
  it("comes back on Escape", async () => {
    const done = vi.fn();
    render(<TypedArea aria-label="Note" value="soft" onDone={done} />);
    const field = screen.getByLabelText<HTMLTextAreaElement>("Note");
    await userEvent.type(field, " and slow{Escape}");
    expect(field.value).toBe("soft");
    await userEvent.tab();
    expect(done).not.toHaveBeenCalled();
  });
});

function Rows({ count }: { count: number }) {
  const rows = useWindow(count, 50);
  return (
    <div data-testid="list" onScroll={rows.onScroll}>
      <i data-testid="above">{rows.above}</i>
      {Array.from({ length: rows.last - rows.first }, (_, i) => (
        <p key={rows.first + i}>row {rows.first + i}</p>
      ))}
      <i data-testid="below">{rows.below}</i>
    </div>
  );
}

describe("a long list", () => {
  const seen = () => screen.getAllByText(/^row/).map((row) => Number(row.textContent?.slice(4)));
  const scrolled = (top: number) => {
    const list = screen.getByTestId("list");
    Object.defineProperty(list, "clientHeight", { value: 600, configurable: true });
    fireEvent.scroll(list, { target: { scrollTop: top } });
  };
  const px = (name: string) => Number(screen.getByTestId(name).textContent);

  it("draws what is seen, and is as high as all of its rows", () => {
    render(<Rows count={1000} />);
    for (const top of [0, 5000, 20_000, 49_400]) {
      scrolled(top);
      const rows = seen();
      expect(rows.length).toBeLessThan(60);
      expect(rows[0]).toBeLessThanOrEqual(top / 50);
      expect(rows.at(-1)).toBeGreaterThanOrEqual(Math.min(999, (top + 600) / 50 - 1));
      expect(px("above") + rows.length * 50 + px("below")).toBe(50_000);
    }
  });
  it("that is short is drawn whole", () => {
    render(<Rows count={7} />);
    expect(seen()).toEqual([0, 1, 2, 3, 4, 5, 6]);
    expect(px("above") + px("below")).toBe(0);
  });
  it("that grows shorter while it is scrolled down shows its end", () => {
    const { rerender } = render(<Rows count={1000} />);
    scrolled(45_000);
    rerender(<Rows count={3} />);
    scrolled(0);
    expect(seen()).toEqual([0, 1, 2]);
  });
});
