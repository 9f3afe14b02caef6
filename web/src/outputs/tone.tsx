import { useTranslation } from "react-i18next";

import type { Feed, FeedChange } from "@/api/types";
import { TONES } from "@/generated/core";
import { figure, signed } from "@/lib/format";
import { ToneCurve } from "@/tone/curve";
import { ToneFigures } from "@/tone/figures";
import { FigureField, Labelled } from "@/ui/form";

type Tone = NonNullable<Feed["tone"]>;
type Purpose = keyof typeof TONES;

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
          <ToneCurve db={feed.tone_curve} />
          <ToneFigures tone={tone} set={(part) => change({ tone: { ...tone, ...part } })} />
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
