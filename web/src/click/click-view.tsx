import { useQueryClient } from "@tanstack/react-query";
import { Download } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import { useClick, useCues, useOwnSounds } from "@/api/queries";
import type { ClickPage, Cues, Song } from "@/api/types";
import type { PageEars } from "@/hear/use-ears";
import { figure, signed } from "@/lib/format";
import type { Edit } from "@/api/edits";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";
import { Typed } from "@/ui/typed";
import { VoicePanel } from "@/voice/voice-panel";

import { CueLane } from "./cue-lane";
import { OwnClicksDialog } from "./own-clicks-dialog";
import { PatternRow } from "./pattern-row";
import { LEADS, SectionTable } from "./section-table";
import { Voices } from "./voices";

interface Props {
  song: Song;
  form: string;
  edit: Edit;
  ears: PageEars;
}

type SetClick = (click: Record<string, unknown>) => Promise<boolean>;

const PREVIEWED = 2;

/** What the band alone hears: the click beat by beat, the count-in, where it sounds, and giving it away. */
export function ClickView({ song, form, edit, ears }: Props) {
  const { t } = useTranslation();
  const page = useClick(song);
  const cues = useCues(song, form);
  const [chosen, setAt] = useState<number | null>(null);
  // The count-in is pass 0; what one looks for first is a call.
  const at = chosen ?? Math.min(1, (cues.data?.passes.length ?? 1) - 1);
  if (page.error && !page.data) return <Trouble error={page.error} again={() => void page.refetch()} />;
  if (!page.data) return <Waiting />;
  const { whole, meters } = page.data;
  const set = (click: Record<string, unknown>) => edit("set_facts", { click });
  return (
    <div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_334px]">
      <div className="flex min-h-0 flex-col gap-3 overflow-auto px-5 pb-4">
        <h2>{t("click.patterns")}</h2>
        <Patterns song={song} meters={meters} ears={ears} set={set} />
        <p className="small">{t("click.patternHelp")}</p>
        <Lane song={song} form={form} ears={ears} cues={cues} at={at} show={setAt} />
        <SectionTable
          song={song}
          whole={whole}
          cues={cues.data}
          set={set}
          edit={edit}
          show={(section) => setAt(Math.max(0, cues.data?.passes.findIndex((p) => p.into?.section === section) ?? 0))}
        />
      </div>
      <aside
        aria-label={t("click.side")}
        className="flex min-h-0 flex-col gap-5 overflow-auto border-l border-line bg-sheet px-4 py-[14px]"
      >
        <CountIn song={song} edit={edit} />
        <Calls song={song} edit={edit} />
        <VoicePanel song={song} cues={cues.data} />
        {cues.data && <Measured cues={cues.data} />}
        <Bounds song={song} whole={whole} set={set} />
        <ClickSound song={song} whole={whole} set={set} />
        <GiveAway song={song} form={form} />
      </aside>
    </div>
  );
}

interface LaneProps {
  song: Song;
  form: string;
  ears: PageEars;
  cues: ReturnType<typeof useCues>;
  at: number;
  show: (at: number) => void;
}

/** The words of a pass, or what stands in their place while they are made. */
function Lane({ song, form, ears, cues, at, show }: LaneProps) {
  const { t } = useTranslation();
  if (cues.data)
    return (
      <CueLane
        song={song}
        cues={cues.data}
        at={at}
        show={show}
        hear={(bar) => ears.hear({ song: song.id, bar, form, click: true, cues: true })}
      />
    );
  return (
    <div className="min-h-[132px]">
      {cues.error ? (
        <Trouble error={cues.error} again={() => void cues.refetch()} />
      ) : (
        <p className="small">{t("cues.making")}</p>
      )}
    </div>
  );
}

interface PatternProps {
  song: Song;
  meters: ClickPage["meters"];
  ears: PageEars;
  set: SetClick;
}

/** Every metre of the song with its pattern, each heard from where it first stands. */
function Patterns({ song, meters, ears, set }: PatternProps) {
  const preview = usePreview(song, ears);
  return meters.map((meter) => (
    <PatternRow
      key={meter.key}
      meter={meter}
      hear={() => preview(meter.spans[0]?.[0] ?? 1)}
      set={(pattern) => set({ patterns: { ...song.click.patterns, [meter.key]: pattern } })}
    />
  ));
}

interface SoundProps {
  song: Song;
  whole: ClickPage["whole"];
  set: SetClick;
}

/** What the click sounds like, how loud it is, and the band's own clicks. */
function ClickSound({ song, whole, set }: SoundProps) {
  const { t } = useTranslation();
  const own = useOwnSounds();
  const [clicks, setClicks] = useState(false);
  return (
    <section>
      <h2 className="mb-1">{t("click.voices")}</h2>
      <Voices song={song} whole={whole} own={(own.data ?? []).filter((o) => o.kind === "click")} set={set} />
      <label className="mt-2 flex items-center gap-2">
        <span className="small grow">{t("click.level")}</span>
        <Typed
          className="w-[58px]"
          inputMode="decimal"
          value={signed(whole.gain_db ?? -6, 1, true)}
          onDone={(db) => set({ gain_db: figure(db) })}
        />
      </label>
      <div className="mt-2 flex flex-wrap gap-1.5">
        <KeepClick song={song} />
        <button type="button" className="btn" onClick={() => setClicks(true)}>
          {t("click.own")}
        </button>
      </div>
      {clicks && <OwnClicksDialog onClose={() => setClicks(false)} />}
    </section>
  );
}

/** Two bars of click alone, round and round; what is edited meanwhile is heard as soon as it is kept. */
function usePreview(song: Song, ears: PageEars) {
  const bar = useRef(0);
  const { state, hear } = ears;
  const play = useRef(() => undefined as void);
  play.current = () =>
    hear({ song: song.id, bar: bar.current, form: "full", click: true, cues: false, loop: PREVIEWED, alone: "-" });
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

function CountIn({ song, edit }: { song: Song; edit: Edit }) {
  const { t } = useTranslation();
  return (
    <section aria-label={t("song.countIn")} className="flex flex-col gap-1.5">
      <h2>{t("song.countIn")}</h2>
      <div className="flex gap-1.5">
        <select
          className="field"
          aria-label={t("click.countInBars")}
          value={song.count_in_bars}
          onChange={(e) => void edit("set_facts", { count_in_bars: Number(e.target.value) })}
        >
          {[0, 1, 2, 3, 4].map((n) => (
            <option key={n} value={n}>
              {n === 0 ? t("song.noCountIn") : t("click.bars", { count: n })}
            </option>
          ))}
        </select>
        {song.count_in_bars > 0 && (
          <select
            className="field"
            aria-label={t("click.countInOn")}
            value={song.count_in_sticks ? "sticks" : "click"}
            onChange={(e) => void edit("set_facts", { count_in_sticks: e.target.value === "sticks" })}
          >
            <option value="click">{t("click.onClick")}</option>
            <option value="sticks">{t("click.onSticks")}</option>
          </select>
        )}
      </div>
      {song.count_in_bars > 0 && (
        <label className="flex items-center gap-2">
          <input
            type="checkbox"
            checked={song.count_in_aloud ?? true}
            onChange={(e) => void edit("set_facts", { count_in_aloud: e.target.checked })}
          />
          {t("click.aloud")}
        </label>
      )}
    </section>
  );
}

function Calls({ song, edit }: { song: Song; edit: Edit }) {
  const { t } = useTranslation();
  return (
    <section aria-label={t("cues.calls")} className="flex flex-col gap-1.5">
      <h2>{t("cues.calls")}</h2>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={song.calls ?? true}
          onChange={(e) => void edit("set_facts", { calls: e.target.checked })}
        />
        {t("click.calls")}
      </label>
      {song.calls && (
        <label className="flex items-center gap-2">
          <span className="small">{t("cues.lead")}</span>
          <select
            className="field"
            value={song.lead}
            onChange={(e) => void edit("set_facts", { lead: Number(e.target.value) })}
          >
            {LEADS.map((n) => (
              <option key={n} value={n}>
                {t("click.bars", { count: n })}
              </option>
            ))}
          </select>
        </label>
      )}
    </section>
  );
}

/** How the words of the form came out. */
function Measured({ cues }: { cues: Cues }) {
  const { t } = useTranslation();
  const { words, shortened, left_out, gap_ms } = cues.summary;
  if (words === 0) return null;
  return (
    <section aria-label={t("cues.measured")}>
      <h2>{t("cues.measured")}</h2>
      <p className="small">
        {t("cues.count", { count: words })} {shortened > 0 && t("cues.countShortened", { count: shortened })}{" "}
        {gap_ms != null && t("cues.gap", { ms: gap_ms.toFixed(0) })}
      </p>
      {left_out > 0 && <p className="small text-brass">{t("cues.countOut", { count: left_out })}</p>}
    </section>
  );
}

interface BoundsProps {
  song: Song;
  whole: ClickPage["whole"];
  set: (click: Record<string, unknown>) => Promise<boolean>;
}

function Bounds({ song, whole, set }: BoundsProps) {
  const { t } = useTranslation();
  return (
    <section aria-label={t("click.where")} className="flex flex-col gap-1.5">
      <h2>{t("click.where")}</h2>
      <div className="flex items-center gap-3">
        <label className="flex items-center gap-2">
          <span className="small">{t("click.fromBar")}</span>
          <Typed
            className="w-[52px]"
            inputMode="numeric"
            value={String(whole.from_bar ?? 1)}
            onDone={(bar) => set({ from_bar: Number(bar || 1) })}
          />
        </label>
        <label className="flex items-center gap-2">
          <span className="small">{t("click.toBar")}</span>
          <Typed
            className="w-[52px]"
            inputMode="numeric"
            placeholder={String(song.bars)}
            value={whole.to_bar == null ? "" : String(whole.to_bar)}
            onDone={(bar) => set({ to_bar: bar ? Number(bar) : null })}
          />
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
    <button type="button" className="btn" onClick={keep} title={t("click.keepAbout")}>
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
          <a
            key={kind}
            className="btn"
            download
            href={`/api/songs/${song.id}/guide/?${new URLSearchParams({ what, kind, form })}`}
          >
            <Download size={13} aria-hidden />
            {t(`click.kind_${kind}`)}
          </a>
        ))}
      </div>
    </section>
  );
}
