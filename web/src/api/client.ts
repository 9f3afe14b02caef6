import type { Problem } from "./types";

/** What the server refused, in its own sentences. */
export class Refused extends Error {
  constructor(
    readonly problems: Problem[],
    readonly status: number,
    readonly body: unknown = null,
  ) {
    super(problems.map((p) => p.message).join(" "));
  }

  /** How it stands now, where somebody else changed it meanwhile (409). */
  get current(): unknown {
    return (this.body as { current?: unknown } | null)?.current;
  }
}

function cookie(name: string): string {
  const found = document.cookie.split("; ").find((c) => c.startsWith(`${name}=`));
  return found ? decodeURIComponent(found.slice(name.length + 1)) : "";
}

const SILENT: Problem = {
  code: "server-silent",
  message: "The server does not answer. What you did was not saved: try again in a moment.",
};

/** One request to the API. Throws `Refused`, also when nobody answers. */
export async function api<T>(
  path: string,
  method: "GET" | "POST" | "PATCH" | "PUT" | "DELETE" = "GET",
  body?: unknown,
  signal?: AbortSignal,
): Promise<T> {
  const raw = body instanceof Blob;
  const headers: Record<string, string> = { Accept: "application/json" };
  if (method !== "GET") headers["X-CSRFToken"] = cookie("csrftoken");
  if (body !== undefined) headers["Content-Type"] = raw ? "application/octet-stream" : "application/json";
  let answer: Response;
  try {
    // An edit under way is still made when the page is left; the browser lends 64 KB for that.
    const text = raw || body === undefined ? undefined : JSON.stringify(body);
    const keepalive = method !== "GET" && !raw && (text?.length ?? 0) < 20_000;
    answer = await fetch(`/api/${path}`, { method, headers, body: raw ? body : text, signal, keepalive });
  } catch (error) {
    if (signal?.aborted) throw error;
    throw new Refused([SILENT], 0);
  }
  if (answer.status === 204) return undefined as T;
  const answered: unknown = await answer.json().catch(() => null);
  if (answer.ok) return answered as T;
  throw new Refused(problemsIn(answered), answer.status, answered);
}

function problemsIn(answered: unknown): Problem[] {
  const problems = (answered as { problems?: Problem[] } | null)?.problems;
  return problems?.length
    ? problems
    : [
        {
          code: "fault",
          message:
            "The server made a mistake. Nothing was changed: try again, and look at its log if it happens twice.",
        },
      ];
}
