import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useDevices } from "@/api/devices";
import { useFeeds, useHandSounds, useSong, useSongs, useVoice } from "@/api/queries";
import type { useHandsChange } from "@/api/hands";
import type { Binding, Control, Does, Hands, HandsNow } from "@/api/types";
import { PAGE_KEYS, STEM_PARTS, STEM_SWITCHES } from "@/generated/core";
import { ACTIONS } from "@/stage/actions";

import { BindingDetails } from "./binding-details";
import { faderOffers, type OfferGroup, padOffers } from "./offers";
import { keyOf, type useHandsLine } from "@/api/use-hands-line";
import type { Learning } from "./use-learning";
import type { usePageMidi } from "@/lib/use-page-midi";
import { type Names, useControlWords, useDoesWords } from "./words";

export interface SideProps {
  hands: Hands;
  now: HandsNow | null;
  names: Names;
  line: ReturnType<typeof useHandsLine>;
  midi: ReturnType<typeof usePageMidi>;
  learning: Learning;
  change: ReturnType<typeof useHandsChange>;
}

/** What was just pressed and what it shall do, or the other way round. */
export function HandsSide(props: SideProps) {
  const { t } = useTranslation();
  const { learning, line, hands, now, names } = props;
  const { picked, wanted } = learning;
  const words = useDoesWords(names);
  return (
    <aside
      aria-label={t("hands.side")}
      className="flex min-h-0 flex-col gap-3 overflow-auto border-l border-line bg-sheet px-4 py-[14px]"
    >
      <h2>{t(picked ? "hands.justPressed" : "hands.learn")}</h2>
      {wanted ? (
        <div role="status" className="border-l-[5px] border-brassline bg-brassbg px-3 py-2">
          <b>{t("hands.nowPress", { words: words(wanted) })}</b>
          <div className="mt-2">
            <button type="button" className="btn" onClick={learning.forget}>
              {t("hands.leave")}
            </button>
          </div>
        </div>
      ) : picked ? (
        <Picked {...props} picked={picked} />
      ) : (
        <>
          <p className="text-soft">{t("hands.learnAbout")}</p>
          <Offers pads faders names={names} choose={learning.choose} />
        </>
      )}
      <Levels hands={hands} names={names} />
      <OwnKeys />
      <div className="mt-auto flex flex-col gap-2 pt-2">
        <PageMidi {...props.midi} />
        <button type="button" className="btn" aria-pressed={line.trying} onClick={() => line.setTrying(!line.trying)}>
          {t(line.trying ? "hands.tryEnd" : "hands.try")}
        </button>
        {line.trying && <p className="small">{t(now?.trying ? "hands.tryOn" : "hands.tryNot")}</p>}
      </div>
    </aside>
  );
}

/** A control that was pressed: what it does now, and what it could do. */
function Picked({ hands, now, names, learning, change, picked }: SideProps & { picked: Control }) {
  const { t } = useTranslation();
  const [words, controlWords] = [useDoesWords(names), useControlWords()];
  const { clash } = learning;
  const binding = learning.doesNow(picked);
  const slides = picked.kind === "bend" || picked.kind === "controller";
  const elsewhere = hands.bindings.filter((b) => b.song !== null && keyOf(b.control) === keyOf(picked));
  const name = controlWords(picked, printedOf(now, picked));
  const port = picked.port === PAGE_KEYS ? t("hands.pageKeys") : picked.port;
  return (
    <>
      <div className="flex items-baseline gap-2">
        <b className="min-w-0 grow">{t("hands.controlOf", { name, port })}</b>
        <button type="button" className="btn" onClick={() => learning.pick(null)}>
          {t("common.done")}
        </button>
      </div>
      {clash && binding ? (
        <ClashAsked
          said={t("hands.clash", { name, words: words(binding.does) })}
          about={t("hands.clashAbout", { words: words(clash.does) })}
          takeOver={learning.takeOver}
          leave={learning.leave}
        />
      ) : (
        binding && <BindingDetails key={binding.id} {...{ binding, hands, names, change }} bind={learning.bind} />
      )}
      {elsewhere.map((b) => (
        <p key={b.id} className="small">
          {t("hands.inSong", { words: words(b.does) })}
        </p>
      ))}
      <Offers names={names} pads={picked.kind !== "bend"} faders={slides} choose={learning.choose} />
    </>
  );
}

interface ClashProps {
  said: string;
  about: string;
  takeOver: () => void;
  leave: () => void;
}

/** The control does something already: that is taken over, or left. */
function ClashAsked({ said, about, takeOver, leave }: ClashProps) {
  const { t } = useTranslation();
  return (
    <div role="alert" className="border-l-[5px] border-clay bg-claybg px-3 py-2">
      <b>{said}</b>
      <p className="small">{about}</p>
      <div className="mt-2 flex gap-2">
        <button type="button" className="btn pri" onClick={takeOver}>
          {t("hands.takeOver")}
        </button>
        <button type="button" className="btn" onClick={leave}>
          {t("hands.leave")}
        </button>
      </div>
    </div>
  );
}

/** The name that is printed on a control of a simulated box. */
const printedOf = (now: HandsNow | null, control: Control): string | undefined =>
  now?.boxes?.find((b) => b.name === control.port)?.controls.find((c) => c.number === control.number)?.name;

interface OffersProps {
  names: Names;
  pads: boolean;
  faders: boolean;
  choose: (does: Does) => void;
}

/** Everything a control can do, in groups. */
function Offers({ pads, faders, choose, names }: OffersProps) {
  const { t } = useTranslation();
  const words = useDoesWords(names);
  const sounds = useHandSounds().data ?? [];
  const palette = useVoice().data?.palette ?? [];
  const devices = useDevices().data?.devices ?? [];
  const feeds = useFeeds().data ?? [];
  const groups: [OfferGroup, Does[]][] = [
    ...(pads ? padOffers({ sounds, words: palette, devices }) : []),
    ...(faders ? [["levels", faderOffers(feeds)] as [OfferGroup, Does[]]] : []),
  ];
  return (
    <div className="flex flex-col gap-1">
      {groups.map(([group, offers]) => (
        <details key={group} className="border-b border-line2 pb-1" open={group === "song" || group === "levels"}>
          <summary className="cursor-pointer py-1 font-[650]">{t(`hands.group.${group}`)}</summary>
          <div className="flex flex-col">
            {offers.map((does) => (
              <button
                key={JSON.stringify(does)}
                type="button"
                className="btn bare justify-start! text-left"
                onClick={() => choose(does)}
              >
                {words(does)}
              </button>
            ))}
            {group === "sections" && (
              <>
                <BankOffer bank="sections" choose={choose} />
                <SectionOffer choose={choose} />
              </>
            )}
            {group === "spot" && (
              <>
                <BankOffer bank="palette" choose={choose} />
                <BankOffer bank="sounds" choose={choose} />
              </>
            )}
            {group === "rest" && <BankOffer bank="songs" choose={choose} />}
            {group === "levels" && <StemOffer parts={LEVELS} choose={choose} />}
            {group === "stems" && <StemOffer parts={STEM_SWITCHES} choose={choose} />}
          </div>
        </details>
      ))}
    </div>
  );
}

type StemPart = (typeof STEM_PARTS)[number];

const isSwitch = (part: StemPart) => (STEM_SWITCHES as readonly StemPart[]).includes(part);
const LEVELS = STEM_PARTS.filter((part) => !isSwitch(part));

/** A stem of the song by its place: its level, in or out, or what a treated one goes through. */
function StemOffer({ parts, choose }: { parts: readonly StemPart[]; choose: (does: Does) => void }) {
  const { t } = useTranslation();
  const [of, setOf] = useState<StemPart>(parts[0] ?? "level");
  return (
    <>
      <BankOffer bank="stems" choose={choose} of={of} />
      <select
        className="field ml-[10px] self-start"
        aria-label={t(isSwitch(of) ? "hands.stemParts.switched" : "hands.stemParts.title")}
        value={of}
        onChange={(e) => setOf(e.target.value as StemPart)}
      >
        {parts.map((part) => (
          <option key={part} value={part}>
            {t(`hands.stemParts.${part}`)}
          </option>
        ))}
      </select>
    </>
  );
}

type BankName = Extract<Does, { kind: "bank" }>["bank"];

/** A place of a bank that fills itself. */
function BankOffer({ bank, choose, of = "level" }: { bank: BankName; choose: (does: Does) => void; of?: StemPart }) {
  const { t } = useTranslation();
  const [place, setPlace] = useState(1);
  const does: Does = { kind: "bank", bank, place: place - 1, when: "section_end", of };
  return (
    <div className="flex items-center gap-2 py-1 pl-[10px]">
      <button
        type="button"
        className="btn bare h-auto! min-w-0 flex-1 justify-start! px-0! text-left whitespace-normal!"
        onClick={() => choose(does)}
      >
        {bank === "stems" ? t(`hands.stemPlace.${of}`, { place }) : t(`hands.bankPlace.${bank}`, { place })}
      </button>
      <input
        type="number"
        className="field w-[64px]"
        min={1}
        max={200}
        value={place}
        aria-label={t(`hands.bankNumber.${isSwitch(of) ? "switched" : bank}`)}
        onChange={(e) => setPlace(Math.min(200, Math.max(1, Math.round(Number(e.target.value) || 1))))}
      />
    </div>
  );
}

/** A section of one of the songs. */
function SectionOffer({ choose }: { choose: (does: Does) => void }) {
  const { t } = useTranslation();
  const songs = useSongs().data ?? [];
  const [song, setSong] = useState("");
  return (
    <>
      <select
        className="field mx-[10px]"
        aria-label={t("hands.sectionOf")}
        value={song}
        onChange={(e) => setSong(e.target.value)}
      >
        <option value="">{t("hands.sectionOf")}</option>
        {songs.map(({ id, title }) => (
          <option key={id} value={id}>
            {title}
          </option>
        ))}
      </select>
      {song && <SectionsOf song={song} choose={choose} />}
    </>
  );
}

function SectionsOf({ song, choose }: { song: string; choose: (does: Does) => void }) {
  const sections = useSong(song).data?.sections ?? [];
  return sections.map((section) => (
    <button
      key={section.id}
      type="button"
      className="btn bare justify-start! pl-6! text-left"
      onClick={() => choose({ kind: "section", section: section.id, when: "section_end" })}
    >
      {section.name}
    </button>
  ));
}

/** Faders and knobs, and the level that each sets. */
function Levels({ hands, names }: { hands: Hands; names: Names }) {
  const { t } = useTranslation();
  const [words, controlWords] = [useDoesWords(names), useControlWords()];
  const levels = hands.bindings.filter(
    ({ does }) => does.kind === "level" || (does.kind === "bank" && does.bank === "stems"),
  );
  if (levels.length === 0) return null;
  return (
    <>
      <h2>{t("hands.levels")}</h2>
      <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-3 gap-y-1">
        {levels.map((b: Binding) => (
          <div key={b.id} className="col-span-2 grid grid-cols-subgrid">
            <dt className="small">{`${controlWords(b.control)} · ${b.control.port}`}</dt>
            <dd className="text-right">{words(b.does)}</dd>
          </div>
        ))}
      </dl>
    </>
  );
}

const SHOWN = ["go", "stop", "vamp", "once_more", "house", "mark"] as const;

/** The keys that work on the stage without any binding. */
function OwnKeys() {
  const { t } = useTranslation();
  return (
    <>
      <h2>{t("hands.ownKeys")}</h2>
      <dl className="grid grid-cols-[auto_minmax(0,1fr)] gap-x-3 gap-y-1">
        {SHOWN.map((name) => (
          <div key={name} className="col-span-2 grid grid-cols-subgrid">
            <dt className="font-[650]">{ACTIONS[name].written}</dt>
            <dd className="text-right text-soft">{t(`stage.keys.${name}`)}</dd>
          </div>
        ))}
      </dl>
      <p className="small">{t("hands.ownKeysMore")}</p>
    </>
  );
}

function PageMidi({ able, heard, refused, ask }: ReturnType<typeof usePageMidi>) {
  const { t } = useTranslation();
  if (!able) return null;
  if (heard)
    return (
      <p className="small">{heard.length ? t("hands.midiHeard", { ports: heard.join(", ") }) : t("hands.midiNone")}</p>
    );
  return (
    <>
      <button type="button" className="btn" onClick={ask}>
        {t("hands.midiAsk")}
      </button>
      {refused && <p className="small text-clay">{t("hands.midiRefused")}</p>}
    </>
  );
}
