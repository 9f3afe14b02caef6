import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { EntryShown } from "@/api/types";

import type { Playing } from "./engine-state";
import { StageButton } from "./stage-button";

interface Props {
  entry: EntryShown;
  state: Playing;
  press: Press;
}

const BUTTON = "btn min-h-[56px]! px-3!";

/** In rehearsal: from any bar, with a count-in or without, and any bars round and round (rule P13). */
export function RehearsalTools({ entry, state, press }: Props) {
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
    </section>
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
