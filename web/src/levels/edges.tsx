import { Play } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Song } from "@/api/types";
import type { PageEars } from "@/hear/use-ears";
import { figure, signed } from "@/lib/format";
import type { Edit, EditArgs } from "@/api/edits";
import { Beside } from "@/ui/form";
import { Typed } from "@/ui/typed";

type Ending = "file" | "cut" | "fade" | "hold";

const FADE_S = 8;
const HOLD_S = 4;

/** How the recording begins and ends, heard before and after. */
export function Edges({ song, edit, ears }: { song: Song; edit: Edit; ears: PageEars }) {
  const { t } = useTranslation();
  const e = song.edges;
  const ending: Ending = e.end_bar == null ? "file" : e.hold_s ? "hold" : e.fade_out_s ? "fade" : "cut";
  const set = (change: EditArgs<"set_edges">) => void edit("set_edges", change);
  const hear = (bar: number, before: boolean) =>
    ears.hear({
      song: song.id,
      bar: Math.max(1, bar),
      form: "full",
      click: false,
      cues: false,
      ...(before && { edges: {} }),
    });
  return (
    <section aria-label={t("edges.title")} className="flex flex-col gap-2">
      <h2>{t("edges.title")}</h2>
      <Start song={song} set={set} hear={hear} />
      <End song={song} ending={ending} set={set} hear={hear} />
      <p className="small">{t(`edges.about_${ending}`)}</p>
    </section>
  );
}

interface PartProps {
  song: Song;
  set: (change: EditArgs<"set_edges">) => void;
  hear: (bar: number, before: boolean) => void;
}

/** Where the recording begins, and its fade in. */
function Start({ song: { edges: e, bar1_s }, set, hear }: PartProps) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
      <Beside label={t("edges.start")}>
        <Typed
          className="w-[70px]"
          inputMode="decimal"
          placeholder={t("edges.fileStart")}
          value={e.start_s == null ? "" : signed(e.start_s, 3)}
          onDone={(text) => set({ start_s: text ? figure(text) : null })}
        />{" "}
        s
      </Beside>
      <button type="button" className="btn" onClick={() => set({ start_s: Number(bar1_s) })}>
        {t("edges.fromBar1")}
      </button>
      <Beside label={t("edges.fadeIn")}>
        <Typed
          className="w-[52px]"
          inputMode="decimal"
          value={signed(e.fade_in_s ?? 0)}
          onDone={(text) => set({ fade_in_s: figure(text) })}
        />{" "}
        s
      </Beside>
      <Heard hear={(before) => hear(1, before)} what={t("edges.theStart")} />
    </div>
  );
}

/** How the recording ends: as the file does, cut, faded or held after a bar. */
function End({ song: { edges: e, bars: last }, ending, set, hear }: PartProps & { ending: Ending }) {
  const { t } = useTranslation();
  const choose = (to: Ending) => {
    const bar = e.end_bar ?? last;
    set(
      to === "file"
        ? { end_bar: null, hold_s: 0, fade_out_s: 0 }
        : { end_bar: bar, hold_s: to === "hold" ? HOLD_S : 0, fade_out_s: to === "fade" ? FADE_S : 0 },
    );
  };
  return (
    <div className="flex flex-wrap items-center gap-x-5 gap-y-2">
      <Beside label={t("edges.end")}>
        <select className="field" value={ending} onChange={(x) => choose(x.target.value as Ending)}>
          {(["file", "cut", "fade", "hold"] as const).map((k) => (
            <option key={k} value={k}>
              {t(`edges.end_${k}`)}
            </option>
          ))}
        </select>
      </Beside>
      {ending !== "file" && (
        <Beside label={t("edges.afterBar")}>
          <Typed
            className="w-[52px]"
            inputMode="numeric"
            value={String(e.end_bar ?? last)}
            onDone={(text) => set({ end_bar: Math.round(figure(text)) })}
          />
        </Beside>
      )}
      {(ending === "hold" || ending === "fade") && (
        <Beside label={t(ending === "hold" ? "edges.holdFor" : "edges.fadeOver")}>
          <Typed
            className="w-[52px]"
            inputMode="decimal"
            value={signed((ending === "hold" ? e.hold_s : e.fade_out_s) ?? 0)}
            onDone={(text) => set(ending === "hold" ? { hold_s: figure(text) } : { fade_out_s: figure(text) })}
          />{" "}
          s
        </Beside>
      )}
      <Heard hear={(before) => hear((e.end_bar ?? last) - 1, before)} what={t("edges.theEnd")} />
    </div>
  );
}

function Heard({ hear, what }: { hear: (before: boolean) => void; what: string }) {
  const { t } = useTranslation();
  return (
    <span className="flex gap-1.5">
      {([true, false] as const).map((before) => (
        <button
          key={String(before)}
          type="button"
          className="btn"
          onClick={() => hear(before)}
          aria-label={t(before ? "edges.hearBefore" : "edges.hearAfter", { what })}
        >
          <Play size={13} aria-hidden />
          {t(before ? "edges.before" : "edges.after")}
        </button>
      ))}
    </span>
  );
}
