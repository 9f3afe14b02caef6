import { Check, Headphones, TriangleAlert } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Finding, Song } from "@/api/types";

import type { Edit } from "@/api/edits";

export interface HearFinding {
  stem: string;
  code: string;
  mended: boolean;
}
interface Props {
  song: Song;
  edit: Edit;
  /** From a moment of the stems, in seconds. */
  hear: (at: number, finding: HearFinding) => void;
}

const SHOWN = 2;

/** What is wrong with the stems, worst first; one quiet line once all is well. */
export function Findings({ song, edit, hear }: Props) {
  const { t } = useTranslation();
  const [all, setAll] = useState(false);
  const { ready, list } = song.findings;
  if (song.stems.length === 0) return null;
  const open = list.filter((f) => f.state === "open" && f.severity !== "note");
  const rest = list.filter((f) => f.state !== "open" || f.severity === "note");
  const rows = all ? [...open, ...rest] : open.slice(0, SHOWN);
  const hidden = all ? 0 : Math.max(0, open.length - SHOWN);
  return (
    <section aria-label={t("findings.title")} className="mx-5 mb-2 flex flex-col gap-[5px]">
      {rows.length > 0 && (
        <ul className={`flex flex-col gap-[5px] ${all ? "max-h-[38vh] overflow-auto" : ""}`}>
          {rows.map((f) => (
            <Row key={`${f.stem} ${f.code}`} finding={f} edit={edit} hear={hear} />
          ))}
        </ul>
      )}
      <p className="small flex items-center gap-2">
        {!ready ? (
          <span role="status">{t("findings.comparing")}</span>
        ) : open.length === 0 ? (
          <span className="flex items-center gap-1">
            <Check size={13} className="text-pine" aria-hidden />
            {t("findings.well", { count: song.stems.length })}
          </span>
        ) : null}
        {(hidden > 0 || rest.length > 0 || all) && (
          <button type="button" className="btn bare" aria-expanded={all} onClick={() => setAll(!all)}>
            {all
              ? t("findings.fewer")
              : [
                  hidden > 0 && t("findings.more", { count: hidden }),
                  rest.length > 0 && t("findings.rest", { count: rest.length }),
                ]
                  .filter(Boolean)
                  .join(" · ")}
          </button>
        )}
      </p>
    </section>
  );
}

const EDGE = {
  fault: "border-l-clay bg-claybg",
  check: "border-l-brassline bg-brassbg",
  note: "border-l-line bg-sheet",
} as const;

function Row({ finding: f, edit, hear }: { finding: Finding; edit: Edit; hear: Props["hear"] }) {
  const { t } = useTranslation();
  const [saving, setSaving] = useState(false);
  const at = { stem: f.stem, code: f.code };
  const act = (made: Promise<boolean>) => {
    setSaving(true);
    void made.finally(() => setSaving(false));
  };
  const mended = f.state === "mended";
  const quiet = f.state !== "open";
  const heard = f.mend !== null && !f.mend.startsWith("mark");
  return (
    <li
      className={`flex flex-wrap items-center gap-x-3 gap-y-1 border border-l-4 border-line px-3 py-[5px] ${EDGE[quiet ? "note" : f.severity]}`}
    >
      <Say finding={f} />
      <span className="flex flex-wrap items-center gap-1">
        {heard && <HearBoth finding={f} hear={hear} />}
        {mended ? (
          <button type="button" className="btn" disabled={saving} onClick={() => act(edit("unmend", at))}>
            {t("findings.takeBack")}
          </button>
        ) : (
          <>
            {f.mend && (
              <button
                type="button"
                className={`btn ${quiet ? "" : "pri"}`}
                disabled={saving}
                onClick={() => act(edit("mend", at))}
              >
                {t(`findings.mend_${f.mend as "shift"}`)}
              </button>
            )}
            {f.severity !== "note" && (
              <button
                type="button"
                className="btn"
                disabled={saving}
                onClick={() => act(edit("accept_finding", { ...at, accepted: f.state !== "accepted" }))}
              >
                {t(f.state === "accepted" ? "findings.reopen" : "findings.leave")}
              </button>
            )}
          </>
        )}
      </span>
    </li>
  );
}

/** What was found, how grave it is, and how sure. */
function Say({ finding: f }: { finding: Finding }) {
  const { t } = useTranslation();
  const mended = f.state === "mended";
  return (
    <span className="flex min-w-[240px] grow basis-[300px] items-start gap-2">
      {mended ? (
        <Check size={14} className="mt-[2px] flex-none text-pine" aria-hidden />
      ) : (
        f.severity !== "note" && (
          <TriangleAlert
            size={14}
            className={`mt-[2px] flex-none ${f.severity === "fault" ? "text-clay" : "text-brass"}`}
            aria-hidden
          />
        )
      )}
      <span>
        <span className="font-[650]">
          {t(mended ? "findings.mended" : f.state === "accepted" ? "findings.accepted" : `findings.${f.severity}`)}
        </span>{" "}
        {f.message}
        {f.sure < 0.95 && <span className="small"> {t("findings.sure", { percent: Math.round(f.sure * 100) })}</span>}
      </span>
    </span>
  );
}

/** Heard as it is, and as it would be mended. */
function HearBoth({ finding: f, hear }: { finding: Finding; hear: Props["hear"] }) {
  const { t } = useTranslation();
  return (
    <>
      <button
        type="button"
        className="btn bare"
        onClick={() => hear(f.at_s, { stem: f.stem, code: f.code, mended: false })}
      >
        <Headphones size={13} aria-hidden />
        {t("findings.hearBefore")}
      </button>
      <button
        type="button"
        className="btn bare"
        onClick={() => hear(f.at_s, { stem: f.stem, code: f.code, mended: true })}
      >
        <Headphones size={13} aria-hidden />
        {t("findings.hearAfter")}
      </button>
    </>
  );
}
