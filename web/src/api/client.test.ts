import { afterEach, describe, expect, it, vi } from "vitest";

import { api, Refused } from "./client";

const answer = (status: number, body: unknown) =>
  vi.stubGlobal(
    "fetch",
    vi.fn(() => Promise.resolve(new Response(body === undefined ? null : JSON.stringify(body), { status }))),
  );

afterEach(() => vi.unstubAllGlobals());

describe("the line to the server", () => {
  it("hands on what the server refused, in its own words", async () => {
    answer(400, { problems: [{ code: "x", message: "The feed is empty." }] });
    await expect(api("feeds/", "POST", {})).rejects.toThrow("The feed is empty.");
  });
  it("says so when nobody answers, or when the answer is no answer", async () => {
    vi.stubGlobal(
      "fetch",
      vi.fn(() => Promise.reject(new TypeError("down"))),
    );
    await expect(api("me/")).rejects.toThrow("does not answer");
    answer(500, "oops");
    await expect(api("me/")).rejects.toBeInstanceOf(Refused);
  });
  it("sends the token of the cookie with every change, and a file as it is", async () => {
    document.cookie = "csrftoken=abc%3D";
    answer(204, undefined);
    await expect(api("songs/1/", "DELETE")).resolves.toBeUndefined();
    answer(200, {});
    await api("uploads/1/piece/", "PUT", new Blob(["x"]));
    const init = vi.mocked(fetch).mock.calls[0]?.[1];
    expect(init?.headers).toMatchObject({ "X-CSRFToken": "abc=", "Content-Type": "application/octet-stream" });
  });
});
