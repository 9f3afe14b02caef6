import { useEffect, useState } from "react";

import type { BandShow } from "@/api/types";

import type { FileOnScreen } from "./song-now";

const known = new Map<string, Promise<string>>();

/** A film or picture, fetched whole once: it plays on when the server does not answer. */
function fetched(id: string, pass: string): Promise<string> {
  const had = known.get(id);
  if (had) return had;
  const coming = fetch(`/api/join/files/${id}/?${new URLSearchParams({ pass })}`).then(async (answer) => {
    if (!answer.ok) throw new Error(String(answer.status));
    return URL.createObjectURL(await answer.blob());
  });
  known.set(id, coming);
  // What could not be had is asked for again.
  coming.catch(() => known.delete(id));
  return coming;
}

/** The address of a file within this page, once it is here. */
export function useScreenFile(file: FileOnScreen | null | undefined, pass: string): string | null {
  const [address, setAddress] = useState<[string, string] | null>(null);
  const id = file?.id;
  useEffect(() => {
    if (!id) return;
    let over = false;
    let again = 0;
    const ask = () => {
      void fetched(id, pass)
        .then((found) => !over && setAddress([id, found]))
        .catch(() => (again = window.setTimeout(ask, 2000)));
    };
    ask();
    return () => {
      over = true;
      clearTimeout(again);
    };
  }, [id, pass]);
  return address && address[0] === id ? address[1] : null;
}

/** Fetches what the show has one after the other, from the entry that plays on. */
export function useFilesAhead(show: BandShow, from: number, pass: string) {
  useEffect(() => {
    let over = false;
    const files = [...show.entries.slice(from), ...show.entries.slice(0, from)].flatMap((e) => filesOf(e.screen));
    void (async () => {
      for (const file of files) {
        if (over) return;
        await fetched(file.id, pass).catch(() => undefined);
      }
    })();
    return () => {
      over = true;
    };
  }, [show, from, pass]);
}

function filesOf(screen: BandShow["entries"][number]["screen"]): FileOnScreen[] {
  if (screen.shows === "film") return screen.film ? [screen.film.file] : [];
  if (screen.shows !== "stills") return [];
  return screen.steps.flatMap((s) => [s.still, ...s.stills.map((one) => one.file)]).filter((f) => f !== null);
}
