import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Press, PressArgs } from "@/api/edits";
import type { Described, EntryShown } from "@/api/types";

import { Choices } from "../choices";
import type { Playing } from "../engine-state";
import { StageButton } from "../stage-button";

type FireWhen = NonNullable<PressArgs<"fire">["when"]>;
const WHENS: FireWhen[] = ["at_once", "next_beat", "next_bar"];

interface Props {
  show: Described;
  entry: EntryShown;
  state: Playing;
  press: Press;
}

/** Sounds by hand: those of the song that plays, then the band's (rule M9). */
export function FireNow({ show, entry, state, press }: Props) {
  const { t } = useTranslation();
  const [when, setWhen] = useState<FireWhen>("next_beat");
  const sounds = [
    ...show.hand_sounds.filter((s) => s.song === entry.song),
    ...show.hand_sounds.filter((s) => s.song === null),
  ];
  if (!sounds.length) return null;
  return (
    <section aria-labelledby="fire-now">
      <h2 id="fire-now" className="small mb-1 font-semibold!">
        {t("stage.sounds.title")}
      </h2>
      <Choices labelledBy="fire-now" value={when} set={setWhen} className="mb-2 grid grid-cols-3">
        {WHENS.map((w) => ({ value: w, words: t(`stage.sounds.when.${w}`) }))}
      </Choices>
      <div className="grid grid-cols-2 gap-2">
        {sounds.map((sound) => (
          <Fire
            key={sound.id}
            sound={sound}
            rings={state.ringing.includes(sound.id)}
            fire={() => press("fire", { sound: sound.id, when })}
          />
        ))}
      </div>
    </section>
  );
}

interface FireProps {
  sound: Described["hand_sounds"][number];
  rings: boolean;
  fire: () => void;
}

function Fire({ sound: { name, again }, rings, fire }: FireProps) {
  const { t } = useTranslation();
  return (
    <StageButton
      className={`btn min-h-[56px]! min-w-0 flex-col! gap-0! border-plum! px-1! text-[15px] leading-tight break-words ${rings ? "bg-plum! text-paper!" : "text-plum!"}`}
      pressed={rings}
      label={t(rings && again === "off" ? "stage.sounds.end" : "stage.sounds.fire", { name })}
      onPress={fire}
    >
      {name}
      {rings && <small>{t(again === "off" ? "stage.sounds.again_off" : "stage.sounds.again_top")}</small>}
    </StageButton>
  );
}
