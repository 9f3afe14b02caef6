import { screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it, vi } from "vitest";

import { feed, serve, show, stem } from "@/test/helpers";

import { StemGoes } from "./stem-goes";

const feeds = [feed("h", { name: "House", kind: "house" }), feed("m", { name: "Riser" })];

it("goes with its group until it is told otherwise", async () => {
  serve({ "GET feeds/": feeds });
  const set = vi.fn();
  show(<StemGoes stem={stem("Bass")} set={set} />);
  expect(screen.queryByRole("checkbox", { name: "Riser" })).toBeNull();
  await userEvent.click(screen.getByRole("checkbox", { name: "with its group" }));
  expect(set).toHaveBeenCalledWith({ feeds: [] });
});

it("goes to feeds of its own, each as loud as it is said to be, and back to its group", async () => {
  serve({ "GET feeds/": feeds });
  const set = vi.fn();
  show(<StemGoes stem={stem("Bass", { feeds: [{ feed: "m", gain_db: -6 }] })} set={set} />);
  await userEvent.click(await screen.findByRole("checkbox", { name: "House" }));
  expect(set).toHaveBeenLastCalledWith({
    feeds: [
      { feed: "m", gain_db: -6 },
      { feed: "h", gain_db: 0 },
    ],
  });
  const level = screen.getByLabelText("Level of Riser in dB");
  await userEvent.clear(level);
  await userEvent.type(level, "−9{Enter}");
  expect(set).toHaveBeenLastCalledWith({ feeds: [{ feed: "m", gain_db: -9 }] });
  await userEvent.click(screen.getByRole("checkbox", { name: "Riser" }));
  expect(set).toHaveBeenLastCalledWith({ feeds: [] });
  await userEvent.click(screen.getByRole("checkbox", { name: "with its group" }));
  expect(set).toHaveBeenLastCalledWith({ feeds: null });
});
