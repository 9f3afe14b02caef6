import { useQueryClient } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import { useClick } from "@/api/queries";
import type { ClickPage, Song } from "@/api/types";
import type { PageEars } from "@/hear/use-ears";
import { signed, typed } from "@/lib/format";
import type { Edit } from "@/songs/use-edits";
import { RehearsalMark } from "@/ui/mark";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";
import { Typed } from "@/ui/typed";

import { PatternRow } from "./pattern-row";
import { Voices } from "./voices";

interface Props {
  song: Song;
  form: string;
  edit: Edit;
  ears: PageEars;
}

const PREVIEWED = 2;

/** What the band alone hears: the click beat by beat, the count-in, where it sounds, and giving it away. */
export function ClickView({ song, form, edit, ears }: Props) {
  const { t } = useTranslation();
  const page = useClick(song);
  const previewed = usePreview(song, ears);
  if (page.error && !page.data) return <Trouble error={page.error} again={() => void page.refetch()} />;
  if (!page.data) return <Waiting />;
  const { whole, meters } = page.data;
  const set = (click: Record<string, unknown>) => edit("set_facts", { click });
  return (
    <div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_334px]">
      <div className="flex min-h-0 flex-col gap-3 overflow-auto px-5 pb-4">
        <h2>{t("click.patterns")}</h2>
        {meters.map((meter) => (
          <PatternRow key={meter.key} meter={meter} hear={() => previewed(meter.spans[0]?.[0] ?? 1)} set={(pattern) => set({ patterns: { ...song.click.patterns, [meter.key]: pattern } })} />
        ))}
        <p className="small">{t("click.patternHelp")}</p>
        <Sections song={song} whole={whole} set={set} />
      </div>
      <aside aria-label={t("click.side")} className="flex min-h-0 flex-col gap-5 overflow-auto border-l border-line bg-sheet px-4 py-[14px]">
        <CountIn song={song} edit={edit} />
        <Bounds song={song} whole={whole} set={set} />
        <section>
          <h2 className="mb-1">{t("click.voices")}</h2>
          <Voices song={song} whole={whole} set={set} />
          <label className="mt-2 flex items-center gap-2">
            <span className="small grow">{t("click.level")}</span>
            <Typed className="w-[58px]" inputMode="decimal" value={signed(whole.gain_db ?? -6, 1, true)} onDone={(db) => set({ gain_db: Number(typed(db).replace("+", "")) })} />
          </label>
          <KeepClick song={song} />
        </section>
        <GiveAway song={song} form={form} />
      </aside>
    </div>
  );
}

/** Two bars of click alone, round and round; what is edited meanwhile is heard as soon as it is kept. */
function usePreview(song: Song, ears: PageEars) {
  const bar = useRef(0);
  const { state, hear } = ears;
  const play = useRef(() => undefined as void);
  play.current = () => hear({ song: song.id, bar: bar.current, form: "full", click: true, cues: false, loop: PREVIEWED, alone: "-" });
  useEffect(() => {
    if (state === "idle") bar.current = 0;
  }, [state]);
  useEffect(() => {
    if (bar.current) play.current();
  }, [song.revision]);
  return (from: number) => {
    bar.current = from;
    play.current();
  };
}

function Sections({ song, whole, set }: { song: Song; whole: ClickPage["whole"]; set: (click: Record<string, unknown>) => Promise<boolean> }) {
  const { t } = useTranslation();
  const silent = song.click.silent ?? [];
  const parts = song.click.parts ?? {};
  const divide = (id: string, n: number) => {
    const { [id]: _, ...rest } = parts;
    set({ parts: n ? { ...rest, [id]: n } : rest });
  };
  return (
    <section aria-label={t("click.bySection")}>
      <div className="mb-1 flex items-center gap-4">
        <h2 className="grow">{t("click.bySection")}</h2>
        <label className="flex items-center gap-2">
          <span className="small">{t("click.divisions")}</span>
          <select className="field" value={whole.divisions ?? 1} onChange={(e) => set({ divisions: Number(e.target.value) })}>
            {[1, 2, 3, 4].map((n) => (
              <option key={n} value={n}>
                {n === 1 ? t("click.none") : `× ${n}`}
              </option>
            ))}
          </select>
        </label>
      </div>
      <ul className="grid grid-cols-[repeat(auto-fill,minmax(260px,1fr))] gap-2">
        {song.sections.map((s) => (
          <li key={s.id} className="flex items-center gap-2 border border-line bg-sheet px-2 py-1.5">
            <RehearsalMark mark={s.mark} colour={s.colour} />
            <span className="tight grow truncate font-[600]">{s.name}</span>
            <select className="field" aria-label={t("click.divisionsIn", { name: s.name })} value={parts[s.id] ?? 0} onChange={(e) => divide(s.id, Number(e.target.value))}>
              <option value={0}>{t("click.asPattern")}</option>
              {[1, 2, 3, 4].map((n) => (
                <option key={n} value={n}>
                  × {n}
                </option>
              ))}
            </select>
            <label className="flex items-center gap-1">
              <input
                type="checkbox"
                aria-label={t("click.silentIn", { name: s.name })}
                checked={silent.includes(s.id)}
                onChange={(e) => set({ silent: e.target.checked ? [...silent, s.id] : silent.filter((x) => x !== s.id) })}
              />
              <span className="small">{t("click.is_silent")}</span>
            </label>
          </li>
        ))}
      </ul>
    </section>
  );
}

function CountIn({ song, edit }: { song: Song; edit: Edit }) {
  const { t } = useTranslation();
  return (
    <section aria-label={t("song.countIn")} className="flex flex-col gap-1.5">
      <h2>{t("song.countIn")}</h2>
      <select className="field" aria-label={t("click.countInBars")} value={song.count_in_bars} onChange={(e) => void edit("set_facts", { count_in_bars: Number(e.target.value) })}>
        {[0, 1, 2, 3, 4].map((n) => (
          <option key={n} value={n}>
            {n === 0 ? t("song.noCountIn") : t("click.bars", { count: n })}
          </option>
        ))}
      </select>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={song.count_in_aloud} onChange={(e) => void edit("set_facts", { count_in_aloud: e.target.checked })} />
        {t("click.aloud")}
      </label>
      <label className="flex items-center gap-2">
        <input type="checkbox" checked={song.calls} onChange={(e) => void edit("set_facts", { calls: e.target.checked })} />
        {t("click.calls")}
      </label>
    </section>
  );
}

function Bounds({ song, whole, set }: { song: Song; whole: ClickPage["whole"]; set: (click: Record<string, unknown>) => Promise<boolean> }) {
  const { t } = useTranslation();
  return (
    <section aria-label={t("click.where")} className="flex flex-col gap-1.5">
      <h2>{t("click.where")}</h2>
      <div className="flex items-center gap-3">
        <label className="flex items-center gap-2">
          <span className="small">{t("click.fromBar")}</span>
          <Typed className="w-[52px]" inputMode="numeric" value={String(whole.from_bar ?? 1)} onDone={(bar) => set({ from_bar: Number(bar || 1) })} />
        </label>
        <label className="flex items-center gap-2">
          <span className="small">{t("click.toBar")}</span>
          <Typed className="w-[52px]" inputMode="numeric" placeholder={String(song.bars)} value={whole.to_bar == null ? "" : String(whole.to_bar)} onDone={(bar) => set({ to_bar: bar ? Number(bar) : null })} />
        </label>
      </div>
    </section>
  );
}

function KeepClick({ song }: { song: Song }) {
  const { t } = useTranslation();
  const { say, complain } = useNotices();
  const client = useQueryClient();
  const keep = () =>
    void api<ClickPage>(`songs/${song.id}/keep-click/`, "POST").then(() => {
      void client.invalidateQueries({ queryKey: ["click"] });
      say(t("click.kept"));
    }, complain);
  return (
    <button type="button" className="btn mt-2" onClick={keep} title={t("click.keepAbout")}>
      {t("click.keep")}
    </button>
  );
}

function GiveAway({ song, form }: { song: Song; form: string }) {
  const { t } = useTranslation();
  const [what, setWhat] = useState("click");
  return (
    <section aria-label={t("click.giveAway")} className="flex flex-col gap-2">
      <h2>{t("click.giveAway")}</h2>
      <select className="field" aria-label={t("click.what")} value={what} onChange={(e) => setWhat(e.target.value)}>
        {(["click", "cues", "both"] as const).map((w) => (
          <option key={w} value={w}>
            {t(`click.what_${w}`)}
          </option>
        ))}
      </select>
      <div className="flex flex-wrap gap-1.5">
        {(["wav", "flac", "mid"] as const).map((kind) => (
          <a key={kind} className="btn" download href={`/api/songs/${song.id}/guide/?${new URLSearchParams({ what, kind, form })}`}>
            <Download size={13} aria-hidden />
            {t(`click.kind_${kind}`)}
          </a>
        ))}
      </div>
    </section>
  );
}
