import { LENGTHS } from "@/generated/core";
import { useQueryClient } from "@tanstack/react-query";
import type { TFunction } from "i18next";
import { Ear } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import { useHearing } from "@/api/queries";
import type { HeardSection, Song } from "@/api/types";
import { useNotices } from "@/ui/notices";
import { Progress } from "@/ui/progress";

import type { Edit } from "@/api/edits";

/** Where sections are heard to begin, each with its reason: named here, and taken with one press. */
export function HeardSections({ song, edit, onClose }: { song: Song; edit: Edit; onClose: () => void }) {
  const { t } = useTranslation();
  const { hearing, found, names, setNames, take, listening, close } = useHeardNames(song, edit, onClose);
  const state = hearing.data?.state;
  return (
    <section
      aria-label={t("heard.title")}
      className="mx-5 mb-2 border border-l-4 border-line border-l-slate bg-sheet px-3 py-2"
    >
      <div className="flex items-center gap-3">
        <h2 className="text-ink!">{t("heard.title")}</h2>
        <span className="grow" />
        {state === "done" && (
          <button type="button" className="btn pri" onClick={take}>
            {t("heard.take", { count: found?.length ?? 0 })}
          </button>
        )}
        <button type="button" className="btn" onClick={close}>
          {t(listening ? "heard.stop" : "heard.close")}
        </button>
      </div>
      {listening && (
        <p className="flex items-center gap-3 py-1">
          <Progress label={t("heard.listening")} done={hearing.data?.progress ?? 0} className="w-[180px]" />
          {t("heard.listening")}
        </p>
      )}
      {(state === "refused" || state === "none") && (
        <p className="py-1">{hearing.data?.message || t("heard.noStems")}</p>
      )}
      {state === "done" && (
        <ol className="mt-1 max-h-[30vh] columns-2 gap-x-6 overflow-auto">
          {found?.map((s, i) => (
            <Heard
              key={s.bar}
              section={s}
              name={names[i] ?? ""}
              rename={(name) => setNames((all) => all.map((n, k) => (k === i ? name : n)))}
            />
          ))}
        </ol>
      )}
    </section>
  );
}

/** What is heard, its names as they are typed, and taking it. */
function useHeardNames(song: Song, edit: Edit, onClose: () => void) {
  const { t } = useTranslation();
  const client = useQueryClient();
  const { complain } = useNotices();
  const hearing = useHearing(song);
  const [names, setNames] = useState<string[]>([]);
  const found = hearing.data?.sections;
  useEffect(() => setNames((found ?? []).map((s) => t("heard.part", { number: s.like + 1 }))), [found, t]);
  useEffect(() => {
    if (hearing.error) complain(hearing.error);
  }, [hearing.error, complain]);
  const take = () =>
    void edit("set_sections", { sections: (found ?? []).map((s, i) => ({ bar: s.bar, name: names[i] ?? "" })) }).then(
      (done) => {
        if (done) onClose();
      },
    );
  const listening = hearing.data?.state === "working" || hearing.isPending;
  const close = () => {
    void client.cancelQueries({ queryKey: ["hearing", song.id] });
    onClose();
  };
  return { hearing, found, names, setNames, take, listening, close };
}

interface HeardProps {
  section: HeardSection;
  name: string;
  rename: (name: string) => void;
}

/** A section that is heard, its name to be typed, and why it begins there. */
function Heard({ section: s, name, rename }: HeardProps) {
  const { t } = useTranslation();
  return (
    <li className="flex break-inside-avoid items-center gap-2 py-[2px]">
      <span className="small w-[46px] flex-none text-right">{t("heard.bar", { bar: s.bar })}</span>
      <input
        className="field w-[120px] flex-none"
        list="usual-sections"
        aria-label={t("heard.nameAt", { bar: s.bar })}
        maxLength={LENGTHS.NAME}
        value={name}
        onChange={(e) => rename(e.target.value)}
      />
      <span className="small min-w-0 truncate" title={reasons(s, t)}>
        {reasons(s, t)}
      </span>
    </li>
  );
}

function reasons(s: HeardSection, t: TFunction): string {
  if (s.bar === 1) return t("heard.opens");
  const found = s.reasons.map((r) =>
    t(`heard.why.${r.kind as "enters"}`, { stem: r.stem, db: Math.abs(r.value).toFixed(1) }),
  );
  return found.join(", ");
}

/** The way in, where a song with stems is not divided yet. */
export function AskHeardSections({ onAsk }: { onAsk: () => void }) {
  const { t } = useTranslation();
  return (
    <p className="mx-5 mb-2 flex items-center gap-3 border border-l-4 border-line border-l-slate bg-sheet px-3 py-[5px]">
      <span className="grow">{t("heard.undivided")}</span>
      <button type="button" className="btn" onClick={onAsk}>
        <Ear size={14} aria-hidden />
        {t("heard.ask")}
      </button>
    </p>
  );
}
