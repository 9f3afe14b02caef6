import { screen, waitFor } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { expect, it, vi } from "vitest";

import { feed, serve, show, stem } from "@/test/helpers";

import { StemGoes } from "./stem-goes";

const sends = [{ source: "group:rhythm", gain_db: -3, before: false }];
const feeds = [feed("h", { name: "House", kind: "house", sends }), feed("m", { name: "Riser" })];

it("goes with its group until it is told otherwise, and then first where the group goes", async () => {
  const asked = serve({ "GET feeds/": feeds });
  const set = vi.fn();
  show(<StemGoes stem={stem("Bass", { group: "rhythm" })} set={set} />);
  await waitFor(() => expect(asked).toHaveLength(1));
  expect(screen.queryByRole("checkbox", { name: "Riser" })).toBeNull();
  await userEvent.click(screen.getByRole("checkbox", { name: "with its group" }));
  expect(set).toHaveBeenCalledWith({ feeds: [{ feed: "h", gain_db: -3 }] });
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
