import type { TFunction } from "i18next";
import { Check, Play, Square } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import type { DressRun, Setlist, Show } from "@/api/types";
import type { Wish } from "@/hear/ears";
import type { PageEars } from "@/hear/use-ears";
import { LENGTHS } from "@/generated/core";
import { duration } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";

import { useDressRunActs } from "./use-dress-run";

type Fault = DressRun["faults"][number];
interface Props {
  show: Show;
  setlist: Setlist;
  run: DressRun;
  ears: PageEars;
}

/** What was found, worst first, each with what mends it; what was left as it is comes last. */
export function Faults({ show, setlist, run, ears }: Props) {
  const { t } = useTranslation();
  const [heard, setHeard] = useState("");
  const acts = useDressRunActs(show.id);
  const open = run.faults.filter((f) => !f.left);
  const left = run.faults.filter((f) => f.left);
  const hearing = ears.state !== "idle" ? heard : "";
  const hear = (fault: Fault, wish: Wish) => {
    setHeard(fault.key);
    if (hearing === fault.key) ears.stop();
    else ears.hear(wish);
  };
  return (
    <>
      <h2 className="mb-1 flex items-center gap-1">
        {!open.length && <Check size={15} className="text-pine" aria-hidden />}
        {heading(open, t)}
      </h2>
      <ul className="flex flex-col gap-[6px]">
        {[...open, ...left].map((f) => (
          <Row
            key={f.key}
            fault={f}
            show={show}
            way={wayTo(f, setlist.id)}
            acts={acts}
            hearing={hearing === f.key}
            hear={(wish) => hear(f, wish)}
            busy={run.state === "working"}
          />
        ))}
      </ul>
    </>
  );
}

function heading(open: Fault[], t: TFunction): string {
  const wrong = open.filter((f) => f.severity === "wrong").length;
  const looks = open.length - wrong;
  if (!open.length) return t("dressRun.clean");
  if (!wrong) return t("dressRun.onlyLooks", { count: looks });
  const said = t("dressRun.wrong", { count: wrong });
  return looks ? t("dressRun.both", { wrong: said, looks: t("dressRun.looks", { count: looks }) }) : said;
}

interface RowProps {
  fault: Fault;
  show: Show;
  way: string | null;
  acts: ReturnType<typeof useDressRunActs>;
  hearing: boolean;
  hear: (wish: Wish) => void;
  busy: boolean;
}

function Row({ fault: f, show, way, acts, hearing, hear, busy }: RowProps) {
  const { t } = useTranslation();
  const edge = f.left ? "border-l-line" : f.severity === "wrong" ? "border-l-clay" : "border-l-brass";
  const message = f.message;
  return (
    <li
      className={`grid grid-cols-[86px_minmax(0,1fr)_auto] items-center gap-3 border border-l-[5px] border-line bg-sheet px-3 py-2 ${edge}`}
    >
      <span className="small">{place(f, t)}</span>
      <span className={f.left ? "text-soft" : ""}>
        {message}
        {f.left && (
          <span className="small block">
            {t(f.by ? "dressRun.leftBy" : "dressRun.left", { reason: f.left, by: f.by })}
          </span>
        )}
      </span>
      <span className="flex flex-wrap justify-end gap-1.5">
        {f.song && HEARD.has(f.code) && (
          <button
            type="button"
            className="btn"
            aria-label={t(hearing ? "dressRun.stop" : "dressRun.hearOf", { message })}
            onClick={() => hear(wishFor(f, show, f.song ?? ""))}
          >
            {hearing ? <Square size={13} aria-hidden /> : <Play size={13} aria-hidden />}
            {t(hearing ? "dressRun.stop" : "dressRun.hear")}
          </button>
        )}
        {way && (
          <Link className="btn" to={way} aria-label={t("dressRun.goOf", { message })}>
            {t("dressRun.go")}
          </Link>
        )}
        <LeaveIt fault={f} acts={acts} />
        {f.mend && !f.left && (
          <button
            type="button"
            className="btn pri"
            disabled={busy || acts.mend.isPending}
            onClick={() => acts.mend.mutate(f.key)}
          >
            {mendText(f.mend, t)}
          </button>
        )}
      </span>
    </li>
  );
}

/** Left as it is with a reason, which is asked for; or taken up again. */
function LeaveIt({ fault: f, acts }: { fault: Fault; acts: RowProps["acts"] }) {
  const { t } = useTranslation();
  const [asking, setAsking] = useState(false);
  const said = { message: f.message };
  const leave = (reason: string) => {
    setAsking(false);
    acts.leave.mutate({ fault: f.key, reason });
  };
  if (f.left)
    return (
      <button type="button" className="btn" aria-label={t("dressRun.takeUpOf", said)} onClick={() => leave("")}>
        {t("dressRun.takeUp")}
      </button>
    );
  return (
    <>
      <button type="button" className="btn" aria-label={t("dressRun.leaveOf", said)} onClick={() => setAsking(true)}>
        {t("dressRun.leave")}
      </button>
      <Dialog open={asking} onOpenChange={setAsking} title={t("dressRun.leaveTitle")} about={f.message}>
        <Reason leave={leave} />
      </Dialog>
    </>
  );
}

function Reason({ leave }: { leave: (reason: string) => void }) {
  const { t } = useTranslation();
  const [reason, setReason] = useState("");
  return (
    <form
      onSubmit={(e) => {
        e.preventDefault();
        leave(reason.trim());
      }}
    >
      <Labelled label={t("dressRun.reason")}>
        <input
          className="field"
          required
          pattern=".*\S.*"
          maxLength={LENGTHS.REASON}
          value={reason}
          onChange={(e) => setReason(e.target.value)}
        />
      </Labelled>
      <div className="mt-3 flex justify-end">
        <button type="submit" className="btn pri">
          {t("dressRun.leave")}
        </button>
      </div>
    </form>
  );
}

function place(f: Fault, t: TFunction): string {
  if (f.entry === null) return t("dressRun.wholeShow");
  return f.bar === null ? String(f.entry) : t("dressRun.bar", { entry: f.entry, bar: f.bar });
}

const HEARD = new Set(["overload", "silence", "seam-heard", "cue-left-out", "loudness", "reference-in-house"]);

/** From a bar before it, or the seam by itself, with who is on in that show; cues where they are meant. */
function wishFor(f: Fault, show: Show, song: string): Wish {
  const guides = f.code === "cue-left-out" || f.code === "word-silent";
  return {
    song,
    bar: Math.max(1, (f.bar ?? 1) - 1),
    form: f.form,
    click: guides,
    cues: guides,
    line_up: show.line_up ?? "",
    ...(f.seam && { seam: { old: f.seam[0] ?? "", new: f.seam[1] ?? "" } }),
  };
}

function mendText(mend: NonNullable<Fault["mend"]>, t: TFunction): string {
  const value = mend.kind === "shorter_form" ? duration(mend.value) : mend.value;
  return t(`dressRun.mend.${mend.kind as "turn_down"}`, { value });
}

const OF_A_SONG: Record<string, string> = {
  "file-missing": "",
  "file-changed": "",
  "reference-in-house": "",
  "cue-left-out": "/click",
  "word-silent": "/click",
  "seam-heard": "/seams",
  silence: "/tacet",
  "nobody-plays": "/tacet",
  loudness: "/levels",
  overload: "/levels",
};

/** The page on which it is mended. */
function wayTo(f: Fault, setlist: string): string | null {
  if (f.song && f.code in OF_A_SONG) return `/songs/${f.song}${OF_A_SONG[f.code]}`;
  if (f.code === "over-slot" || f.code === "attacca-interval") return `/setlists/${setlist}`;
  return f.entry === null ? "/outputs" : null;
}
