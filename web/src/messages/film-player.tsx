import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useScreenFiles } from "@/api/screens";
import type { ScreenFile, StandIn } from "@/api/types";
import { ChasedFilm } from "@/lib/chased-film";

import { Heard } from "./stand-in-heard";

const HOUR_S = 3600;
/** Without timecode for so long a film stands. */
const SILENT_MS = 500;

/** A film player that follows timecode: each film begins at a full hour. */
export function FilmPlayer({ one }: { one: StandIn }) {
  const { t } = useTranslation();
  const films = (useScreenFiles().data ?? []).filter((f) => f.kind === "film");
  const [chosen, choose] = useState("");
  const film = films.find((f) => f.id === chosen) ?? films[0];
  const address = useWhole(film && `/api/screen-files/${film.id}/content/`);
  const told = useRef({ timecode: one.timecode, at: 0 });
  useEffect(() => {
    told.current = { timecode: one.timecode, at: performance.now() };
  }, [one]);
  const wanted = (at: number) => {
    const { timecode, at: came } = told.current;
    if (!timecode) return null;
    const since = at - came + timecode.age_ms;
    if (!timecode.running || since > SILENT_MS) return null;
    return (timecode.seconds % HOUR_S) + since / 1000;
  };
  return (
    <section aria-label={one.name} className="flex flex-col gap-2 border border-line bg-sheet px-4 py-3">
      <div className="flex items-baseline gap-3">
        <h2 className="text-[15px]!">{one.name}</h2>
        <span className="grow" />
        <FilmChoice films={films} film={film} choose={choose} />
      </div>
      <p className="text-[26px] font-[650] tabular-nums [font-stretch:80%]">
        {one.timecode?.label ?? t("standIns.noTimecode")}
      </p>
      <div className="flex h-[180px] items-center justify-center bg-black">
        {film && address ? (
          <ChasedFilm
            key={address}
            address={address}
            fps={film.fps}
            wanted={wanted}
            label={film.name}
            className="h-full w-full object-contain"
          />
        ) : (
          <p className="text-[#d8ded8]">{t("standIns.noFilm")}</p>
        )}
      </div>
      <Heard one={one} />
    </section>
  );
}

interface ChoiceProps {
  films: ScreenFile[];
  film: ScreenFile | undefined;
  choose: (id: string) => void;
}

function FilmChoice({ films, film, choose }: ChoiceProps) {
  const { t } = useTranslation();
  if (films.length === 0) return null;
  return (
    <select
      className="field w-auto!"
      aria-label={t("standIns.film")}
      value={film?.id ?? ""}
      onChange={(e) => choose(e.target.value)}
    >
      {films.map((f) => (
        <option key={f.id} value={f.id}>
          {f.name}
        </option>
      ))}
    </select>
  );
}

/** A file of the server, fetched whole, as an address within this page. */
function useWhole(path: string | undefined): string | null {
  const [address, setAddress] = useState<string | null>(null);
  useEffect(() => {
    if (!path) return;
    let made = "";
    const leaving = new AbortController();
    void fetch(path, { signal: leaving.signal })
      .then((answer) => (answer.ok ? answer.blob() : Promise.reject(new Error(path))))
      .then((blob) => setAddress((made = URL.createObjectURL(blob))))
      .catch(() => undefined);
    return () => {
      leaving.abort();
      if (made) URL.revokeObjectURL(made);
      setAddress(null);
    };
  }, [path]);
  return address;
}
