import type { TFunction } from "i18next";
import { Check } from "lucide-react";
import { useId } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { Setlist, SetlistLeft } from "@/api/types";
import { duration } from "@/lib/format";

import { useSetlistLeft } from "./use-left";

type ToDo = SetlistLeft["to_do"][number];

interface Props {
  setlist: Setlist;
  /** Opens what makes the songs equally loud. */
  match: () => void;
  /** Opens what makes a show of the setlist. */
  take: () => void;
}

/** What is left to do of a setlist, worst first, each with the way to it. */
export function LeftList({ setlist, match, take }: Props) {
  const { t } = useTranslation();
  const left = useSetlistLeft(setlist).data?.to_do;
  if (!left) return null;
  return (
    <section aria-labelledby="setlist-to-do">
      <h2 id="setlist-to-do" className="mb-1">
        {t("toDo.title")}
      </h2>
      {left.length ? (
        <ul className="flex flex-col gap-1">
          {left.map((one, i) => (
            <Row key={i} one={one} setlist={setlist} match={match} take={take} />
          ))}
        </ul>
      ) : (
        <p className="small flex items-center gap-1">
          <Check size={13} className="text-pine" aria-hidden />
          {t("toDo.nothing")}
        </p>
      )}
    </section>
  );
}

function Row({ one, setlist, match, take }: Props & { one: ToDo }) {
  const { t } = useTranslation();
  const edge = one.severity === "wrong" ? "border-l-clay" : "border-l-brassline";
  const id = useId();
  const way = wayTo(one, { match, take });
  return (
    <li className={`flex items-center gap-2 border border-l-[5px] border-line bg-paper px-2 py-1 ${edge}`}>
      <span id={id} className="min-w-0 grow leading-[1.3] [overflow-wrap:anywhere]">
        {said(one, t)}
      </span>
      {one.code === "song" && (
        <Link className="btn" to={`/songs/${setlist.entries[one.entry ?? 0]?.song}`} aria-describedby={id}>
          {t("toDo.go")}
        </Link>
      )}
      {way && (
        <button type="button" className="btn" onClick={way.go}>
          {t(way.label)}
        </button>
      )}
    </li>
  );
}

const wayTo = (one: ToDo, { match, take }: Pick<Props, "match" | "take">) => {
  if (one.code === "loudness") return { label: "match.open", go: match } as const;
  return one.code === "no-show" ? ({ label: "toDo.makeShow", go: take } as const) : null;
};

function said({ code, title, value }: ToDo, t: TFunction): string {
  if (code === "over-slot") return t("toDo.setlist.over-slot", { time: duration(value) });
  if (code === "loudness")
    return t(value > 0 ? "toDo.setlist.louder" : "toDo.setlist.softer", { title, lu: Math.abs(value).toFixed(1) });
  return t(`toDo.setlist.${code}`, { title, count: value });
}
