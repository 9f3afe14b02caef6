import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";

import type { Playing } from "./engine-state";
import { StageButton } from "./stage-button";

interface Props {
  entry: EntryShown;
  entries: readonly EntryShown[];
  state: Playing;
  press: Press;
}

const WHOLE = 100;
const BUTTON = "btn min-h-[56px]! px-3!";

/** In rehearsal: from any bar, with a count-in or without, and any bars round and round (rule P13). */
export function RehearsalTools({ entry, entries, state, press }: Props) {
  const { t } = useTranslation();
  const [from, setFrom] = useState("1");
  const [countIn, setCountIn] = useState(true);
  const [first, setFirst] = useState("");
  const [last, setLast] = useState("");
  const { round } = state.tonight;
  const step = entry.steps[state.position.step];
  const here = step && { first: step.first_bar, last: step.first_bar + step.bars - 1 };
  return (
    <section
      aria-label={t("stage.rehearsal.title")}
      className="flex flex-wrap items-center gap-2 border border-slate px-2 py-1"
    >
      <Bar label={t("stage.rehearsal.fromBar")} value={from} set={setFrom} />
      <label className="flex min-h-[56px] items-center gap-1">
        <input type="checkbox" checked={countIn} onChange={(e) => setCountIn(e.target.checked)} />
        {t("stage.rehearsal.countIn")}
      </label>
      <StageButton className={BUTTON} onPress={() => press("from_bar", { bar: Number(from), count_in: countIn })}>
        {t("stage.rehearsal.play")}
      </StageButton>
      <span className="grow" />
      <Bar label={t("stage.rehearsal.first")} value={first || String(here?.first ?? 1)} set={setFirst} />
      <Bar label={t("stage.rehearsal.last")} value={last || String(here?.last ?? 1)} set={setLast} />
      <StageButton
        className={BUTTON}
        pressed={round !== null}
        onPress={() =>
          press(
            "round_bars",
            round ? {} : { first: Number(first || here?.first || 1), last: Number(last || here?.last || 1) },
          )
        }
      >
        {round ? t("stage.rehearsal.goOn", round) : t("stage.rehearsal.round")}
      </StageButton>
      <Slower {...{ entry, entries, press }} />
    </section>
  );
}

/** The tempos that the song is prepared in for rehearsal (rule V2); what plays goes on from its bar. */
function Slower({ entry, entries, press }: Omit<Props, "state">) {
  const { t } = useTranslation();
  const own = entry.of ?? entries.findIndex((e) => e.id === entry.id);
  const slower = entries.filter((e) => e.of === own && e.percent !== WHOLE && !e.kept).map((e) => e.percent);
  if (!slower.length) return <p className="small basis-full">{t("stage.rehearsal.notSlower")}</p>;
  return (
    <div role="group" aria-label={t("stage.rehearsal.tempo")} className="flex basis-full flex-wrap items-center gap-1">
      <span className="mr-1">{t("stage.rehearsal.tempo")}</span>
      {[...slower, WHOLE].map((percent) => (
        <StageButton
          key={percent}
          className={BUTTON}
          pressed={entry.percent === percent}
          onPress={() => press("slower", { percent })}
        >
          {t("stage.rehearsal.percent", { percent })}
        </StageButton>
      ))}
    </div>
  );
}

function Bar({ label, value, set }: { label: string; value: string; set: (value: string) => void }) {
  return (
    <label className="flex items-center gap-1">
      {label}
      <input
        className="field min-h-[56px]! w-[64px] text-center text-[18px]"
        inputMode="numeric"
        value={value}
        onChange={(e) => set(e.target.value.replace(/\D/g, "").slice(0, 5))}
      />
    </label>
  );
}
