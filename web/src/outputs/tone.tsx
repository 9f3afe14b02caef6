import { useId } from "react";
import { useTranslation } from "react-i18next";

import type { Feed, FeedChange } from "@/api/types";
import { CURVE_HZ, RANGES, TONES } from "@/generated/core";
import { figure, signed } from "@/lib/format";
import { FigureField, Labelled } from "@/ui/form";

type Tone = NonNullable<Feed["tone"]>;
type Purpose = keyof typeof TONES;

const WIDTH = 420;
const HEIGHT = 96;
const MOST_DB = 15;
const MARKS = [50, 100, 200, 500, 1000, 2000, 5000, 10_000];

const FLAT: Tone = { low_cut_hz: null, low_db: 0, mid_db: 0, mid_hz: 800, high_db: 0, high_cut_hz: null };

interface Props {
  feed: Feed;
  change: (part: FeedChange) => void;
}

/** Where a feed is cut, and how loud its lows, middle and highs are (rule M8). */
export function FeedTone({ feed, change }: Props) {
  const { t } = useTranslation();
  const tone = feed.tone ?? null;
  const purposes = Object.keys(TONES) as Purpose[];
  const same = purposes.find((name) => tone !== null && sameTone(tone, TONES[name]));
  const take = (value: string) => {
    if (value === "none") change({ tone: null });
    else if (value in TONES) change({ tone: TONES[value as Purpose] });
    else change({ tone: tone ?? FLAT });
  };
  return (
    <section aria-labelledby="feed-tone" className="mt-4">
      <h2 id="feed-tone" className="small mb-1">
        {t("tone.title")}
      </h2>
      <Labelled label={t("tone.for")}>
        <select
          className="field"
          value={tone === null ? "none" : (same ?? "own")}
          onChange={(e) => take(e.target.value)}
        >
          <option value="none">{t("tone.none")}</option>
          {purposes.map((name) => (
            <option key={name} value={name}>
              {t(`tone.purpose.${name}`)}
            </option>
          ))}
          <option value="own">{t("tone.own")}</option>
        </select>
      </Labelled>
      {tone !== null && (
        <>
          <Curve db={feed.tone_curve} />
          <Figures tone={tone} set={(part) => change({ tone: { ...tone, ...part } })} />
        </>
      )}
      <div className="mt-2 grid grid-cols-3 items-end gap-2">
        <FigureField
          label={t("tone.ceiling")}
          value={feed.ceiling_db === null || feed.ceiling_db === undefined ? "" : signed(feed.ceiling_db)}
          placeholder={t("tone.off")}
          onDone={(text) => change({ ceiling_db: text.trim() ? figure(text) : null })}
        />
        <p className="small col-span-2">{t("tone.ceilingAbout")}</p>
      </div>
    </section>
  );
}

const sameTone = (one: Tone, other: Tone) =>
  (Object.keys(other) as (keyof Tone)[]).every((key) => (one[key] ?? null) === (other[key] ?? null));

/** Each figure of a tone; an empty cut is none. */
function Figures({ tone, set }: { tone: Tone; set: (part: Partial<Tone>) => void }) {
  const { t } = useTranslation();
  const cut = (text: string) => (text.trim() ? figure(text) : null);
  const hz = (value: number | null | undefined) => (value === null || value === undefined ? "" : String(value));
  return (
    <div className="mt-2 grid grid-cols-3 gap-2">
      <FigureField
        label={t("tone.lowCut")}
        value={hz(tone.low_cut_hz)}
        placeholder={t("tone.off")}
        onDone={(text) => set({ low_cut_hz: cut(text) })}
      />
      <FigureField
        label={t("tone.low")}
        value={signed(tone.low_db ?? 0)}
        onDone={(text) => set({ low_db: figure(text) })}
      />
      <FigureField
        label={t("tone.mid")}
        value={signed(tone.mid_db ?? 0)}
        onDone={(text) => set({ mid_db: figure(text) })}
      />
      <FigureField
        label={t("tone.midAt")}
        value={hz(tone.mid_hz)}
        onDone={(text) => set({ mid_hz: figure(text) || RANGES.MID_HZ.min })}
      />
      <FigureField
        label={t("tone.high")}
        value={signed(tone.high_db ?? 0)}
        onDone={(text) => set({ high_db: figure(text) })}
      />
      <FigureField
        label={t("tone.highCut")}
        value={hz(tone.high_cut_hz)}
        placeholder={t("tone.off")}
        onDone={(text) => set({ high_cut_hz: cut(text) })}
      />
    </div>
  );
}

const [LOWEST, HIGHEST] = [CURVE_HZ[0], CURVE_HZ[CURVE_HZ.length - 1] as number];
const across = (hz: number) => (WIDTH * Math.log(hz / LOWEST)) / Math.log(HIGHEST / LOWEST);
const down = (db: number) => HEIGHT / 2 - (db * HEIGHT) / (2 * MOST_DB);

/** The tone as a curve over the frequencies. */
function Curve({ db }: { db: readonly number[] }) {
  const { t } = useTranslation();
  const clip = useId();
  const path = db.map(
    (one, i) => `${i ? "L" : "M"}${across(CURVE_HZ[i] ?? LOWEST).toFixed(1)} ${down(one).toFixed(1)}`,
  );
  const label = t("tone.curve", { low: signed(Math.min(...db)), high: signed(Math.max(...db)) });
  return (
    <svg
      role="img"
      aria-label={label}
      viewBox={`0 -2 ${WIDTH} ${HEIGHT + 18}`}
      className="mt-2 w-full border border-line bg-sheet text-soft"
    >
      {MARKS.map((hz) => (
        <g key={hz}>
          <line x1={across(hz)} x2={across(hz)} y1={0} y2={HEIGHT} stroke="var(--color-line2)" />
          <text x={across(hz)} y={HEIGHT + 12} textAnchor="middle" fontSize={10} fill="currentColor">
            {hz < 1000 ? hz : `${hz / 1000}k`}
          </text>
        </g>
      ))}
      <line x1={0} x2={WIDTH} y1={HEIGHT / 2} y2={HEIGHT / 2} stroke="var(--color-line)" />
      {[MOST_DB, 0, -MOST_DB].map((one) => (
        <text key={one} x={4} y={down(one) + (one > 0 ? 10 : -3)} fontSize={10} fill="currentColor">
          {signed(one)}
        </text>
      ))}
      <clipPath id={clip}>
        <rect width={WIDTH} height={HEIGHT} />
      </clipPath>
      <path d={path.join(" ")} clipPath={`url(#${clip})`} fill="none" stroke="var(--color-pine)" strokeWidth={2} />
    </svg>
  );
}
