import { Check } from "lucide-react";
import { useId } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { Edit } from "@/api/edits";
import type { Song } from "@/api/types";

type ToDo = Song["to_do"][number];

/** The view of a song on which each thing is done; "" for the chart. */
const VIEWS: Partial<Record<ToDo["code"], string>> = {
  broken: "grid",
  faults: "",
  checks: "",
  offers: "",
  grid: "grid",
  sections: "",
  parts: "tacet",
};
/** What may be said to be right as it is. */
const SEEN = new Set<ToDo["code"]>(["grid", "sections", "parts", "key"]);

/** What is left to do of a song, worst first, each with the way to it or a press that does it. */
export function SongToDo({ song, edit }: { song: Song; edit: Edit }) {
  const { t } = useTranslation();
  const left = song.to_do;
  if (!song.stems.length && !left.length) return null;
  if (!left.length)
    return (
      <p className="small flex items-center gap-1">
        <Check size={13} className="text-pine" aria-hidden />
        {t("toDo.nothing")}
      </p>
    );
  return (
    <section aria-labelledby="to-do">
      <h2 id="to-do" className="mb-1">
        {t("toDo.title")}
      </h2>
      <ul className="flex flex-col gap-1">
        {left.map((one) => (
          <Row key={`${one.code}${one.of}`} one={one} song={song} edit={edit} />
        ))}
      </ul>
    </section>
  );
}

function Row({ one, song, edit }: { one: ToDo; song: Song; edit: Edit }) {
  const { t } = useTranslation();
  const id = useId();
  const view = VIEWS[one.code];
  const said = t(`toDo.song.${one.code}`, { count: one.count, name: one.name });
  const edge = one.severity === "wrong" ? "border-l-clay" : "border-l-brassline";
  return (
    <li className={`border border-l-[5px] border-line bg-sheet px-2 py-1 ${edge}`}>
      <p id={id} className="leading-[1.3]">
        {said}
      </p>
      {view !== undefined && (
        <Link to={`/songs/${song.id}${view && `/${view}`}`} className="btn mt-1 mr-1" aria-describedby={id}>
          {t("toDo.go")}
        </Link>
      )}
      {one.code === "reference" && (
        <button
          type="button"
          className="btn mt-1"
          onClick={() => void edit("set_stem", { stem: one.of, purpose: "rehearsal" })}
        >
          {t("toDo.rehearsalOnly")}
        </button>
      )}
      {SEEN.has(one.code) && (
        <button
          type="button"
          className="btn mt-1"
          onClick={() => void edit("set_seen", { what: one.code as "grid", seen: true })}
        >
          {t(`toDo.seen.${one.code as "grid"}`)}
        </button>
      )}
    </li>
  );
}
