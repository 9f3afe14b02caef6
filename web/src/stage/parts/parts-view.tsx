import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { Described, EntryShown, Player } from "@/api/types";

import { Choices } from "../choices";
import type { Playing } from "../engine-state";
import { StageButton } from "../stage-button";
import { PartRow, type PartWhen } from "./part-row";
import { isSet, type Part, partsOf } from "./parts";

interface Props {
  show: Described;
  entry: EntryShown;
  state: Playing;
  players: Player[];
  press: Press;
  listening: string | null;
  listen: (feed: string | null) => void;
  /** Asks why a part is heard, or not. */
  why: (part: string) => void;
}

const WHENS: PartWhen[] = ["at_once", "next_bar", "section_end"];
const BEATS = ["0", "4", "8"];

/** Every part by hand (rule M7): in or out, level, alone, and all back to what is prepared. */
export function PartsView({ show, entry, state, players, press, listening, listen, why }: Props) {
  const { t } = useTranslation();
  const [when, setWhen] = useState<PartWhen>("next_bar");
  const [beats, setBeats] = useState("0");
  const parts = partsOf(show, entry, state, players, {
    click: t("stage.parts.click"),
    cues: t("stage.parts.cues"),
    tone: (name, tone) => t(`stage.parts.tones.${tone}`, { name }),
  });
  return (
    <section aria-label={t("stage.parts.title")} className="flex flex-col gap-2">
      <div className="flex flex-wrap items-center gap-x-2 gap-y-1 text-soft">
        <span id="part-when">{t("stage.parts.when")}</span>
        <Choices labelledBy="part-when" value={when} set={setWhen} className="flex">
          {WHENS.map((w) => ({ value: w, words: t(`stage.when.${w}`) }))}
        </Choices>
        <span id="part-beats" className="ml-2">
          {t("stage.parts.over")}
        </span>
        <Choices labelledBy="part-beats" value={beats} set={setBeats} className="flex">
          {BEATS.map((b) => ({ value: b, words: t("stage.parts.beats", { count: Number(b) }) }))}
        </Choices>
        <span className="grow" />
        <AllParts state={state} press={press} />
      </div>
      <Rows {...{ parts, when, press, listening, listen, why }} beats={Number(beats)} />
      <p className="small">{t("stage.parts.about")}</p>
    </section>
  );
}

interface RowsProps extends Pick<Props, "press" | "listening" | "listen" | "why"> {
  parts: Part[];
  when: PartWhen;
  beats: number;
}

/** The parts; what a stem goes through where it is asked for, or set by hand. */
function Rows({ parts, when, beats, press, listening, listen, why }: RowsProps) {
  const { t } = useTranslation();
  const [open, setOpen] = useState<readonly string[]>([]);
  const turn = (stem: string) => setOpen(open.includes(stem) ? open.filter((s) => s !== stem) : [...open, stem]);
  return (
    <ul aria-label={t("stage.parts.title")}>
      {parts
        .filter((part) => !part.of || open.includes(part.of) || isSet(part))
        .map((part) => {
          const feed = part.part.slice("feed:".length);
          const heard = part.kind === "feed" && listening === feed;
          return (
            <PartRow
              key={part.part}
              {...{ part, when, beats, press, heard, why }}
              hear={() => listen(heard ? null : feed)}
              opened={open.includes(part.part)}
              turn={parts.some((other) => other.of === part.part) ? () => turn(part.part) : undefined}
            />
          );
        })}
    </ul>
  );
}

/** What is alone in the house too, and everything back to what is prepared. */
function AllParts({ state, press }: Pick<Props, "state" | "press">) {
  const { t } = useTranslation();
  const inHouse = state.alone_in_house;
  const alone = state.parts.find((p) => p.alone);
  return (
    <>
      {alone && (
        <StageButton
          className="btn min-h-[56px]!"
          pressed={inHouse}
          onPress={() => press("alone", { part: alone.part, on: true, in_house: !inHouse })}
        >
          {t("stage.parts.aloneInHouse")}
        </StageButton>
      )}
      <StageButton
        className="btn min-h-[56px]!"
        disabled={!state.parts.length}
        title={state.parts.length ? undefined : t("stage.parts.allPrepared")}
        onPress={() => press("as_prepared")}
      >
        {t("stage.parts.asPrepared")}
      </StageButton>
    </>
  );
}
