import type { TFunction } from "i18next";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { KeptList, Setlist } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { dayAndClock } from "@/lib/format";
import { Confirm, Dialog } from "@/ui/dialog";
import { Trouble, Waiting } from "@/ui/states";

import { comparedText } from "./compared-text";
import { useCompared, useKept, useKeptActs } from "./use-compared";

interface Props {
  setlist: Setlist;
  all: Setlist[];
  onClose: () => void;
}

/** How a setlist differs from what it was, or from another one; states of it are kept and brought back here. */
export function CompareDialog({ setlist, all, onClose }: Props) {
  const { t } = useTranslation();
  const kept = useKept(setlist);
  const [chosen, setChosen] = useState<string | null>(null);
  const states = kept.data?.states ?? [];
  const others = all.filter((s) => s.id !== setlist.id);
  const way = chosen ?? states[0]?.way ?? (others[0] ? `setlist:${others[0].id}` : "");
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && onClose()}
      title={t("compare.title", { name: setlist.name })}
      about={t("compare.about")}
    >
      <Keep setlist={setlist} />
      {way === "" ? (
        <p className="text-soft">{t("compare.nothingYet")}</p>
      ) : (
        <>
          <label className="mt-3 flex items-center gap-2">
            <span className="small">{t("compare.with")}</span>
            <select className="field min-w-0 grow" value={way} onChange={(e) => setChosen(e.target.value)}>
              {states.map((s) => (
                <option key={s.way} value={s.way}>
                  {stateName(s, t)}
                </option>
              ))}
              {others.map((s) => (
                <option key={s.id} value={`setlist:${s.id}`}>
                  {t("compare.other", { name: s.name })}
                </option>
              ))}
            </select>
          </label>
          <Compared setlist={setlist} way={way} />
          {!way.startsWith("setlist:") && (
            <Back setlist={setlist} way={way} onClose={onClose} forgotten={() => setChosen(null)} />
          )}
        </>
      )}
    </Dialog>
  );
}

const stateName = (s: KeptList["states"][number], t: TFunction): string =>
  s.name
    ? t(s.by ? "compare.keptBy" : "compare.kept", { name: s.name, at: dayAndClock(s.at), by: s.by })
    : t("compare.day", { at: dayAndClock(s.at) });

function Keep({ setlist }: { setlist: Setlist }) {
  const { t } = useTranslation();
  const { keep } = useKeptActs(setlist);
  const [name, setName] = useState("");
  return (
    <form
      className="flex items-center gap-2"
      onSubmit={(e) => {
        e.preventDefault();
        keep.mutate(name.trim(), { onSuccess: () => setName("") });
      }}
    >
      <input
        className="field min-w-0 grow"
        aria-label={t("compare.keepName")}
        placeholder={t("compare.keepName")}
        required
        pattern=".*\S.*"
        maxLength={LENGTHS.TITLE}
        value={name}
        onChange={(e) => setName(e.target.value)}
      />
      <button type="submit" className="btn" disabled={keep.isPending}>
        {t("compare.keep")}
      </button>
    </form>
  );
}

function Compared({ setlist, way }: { setlist: Setlist; way: string }) {
  const { t } = useTranslation();
  const compared = useCompared(setlist, way);
  if (compared.isPending) return <Waiting />;
  if (compared.error) return <Trouble error={compared.error} again={() => void compared.refetch()} />;
  const { differences, songs_changed: changed } = compared.data;
  return (
    <ul aria-label={t("compare.differences")} className="mt-3 max-h-[42vh] list-disc overflow-auto pl-5">
      {differences.map((d, i) => (
        <li key={i}>{comparedText(d, compared.data, t)}</li>
      ))}
      {changed.length > 0 && (
        <li>{t("compare.songsChanged", { count: changed.length, titles: changed.join(", ") })}</li>
      )}
      {!differences.length && !changed.length && <li className="text-soft">{t("compare.same")}</li>}
    </ul>
  );
}

interface BackProps {
  setlist: Setlist;
  way: string;
  onClose: () => void;
  forgotten: () => void;
}

function Back({ setlist, way, onClose, forgotten }: BackProps) {
  const { t } = useTranslation();
  const { forget, bringBack } = useKeptActs(setlist);
  const [deleting, setDeleting] = useState(false);
  return (
    <div className="mt-3 flex justify-end gap-2">
      {way.startsWith("kept:") && (
        <button type="button" className="btn bare text-clay" onClick={() => setDeleting(true)}>
          {t("compare.forget")}
        </button>
      )}
      <button
        type="button"
        className="btn pri"
        disabled={bringBack.isPending}
        onClick={() => bringBack.mutate(way, { onSuccess: onClose })}
      >
        {t("compare.back")}
      </button>
      <Confirm
        open={deleting}
        onOpenChange={setDeleting}
        title={t("compare.forgetTitle")}
        about={t("compare.forgetAbout")}
        yes={t("compare.forget")}
        onYes={() => forget.mutate(way, { onSuccess: forgotten })}
      />
    </div>
  );
}
