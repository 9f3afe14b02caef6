import { AudioWaveform, Play, Square } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import type { Edit } from "@/api/edits";
import type { Section, Song, Stem } from "@/api/types";
import type { PageEars } from "@/hear/use-ears";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";

import { ToneCurve } from "./curve";
import { DrivePart, EchoPart, GatePart, TonePart } from "./treatment-parts";
import { purposeOf, type Treatment, type TreatmentPurpose, TREATMENT_PURPOSES, treatmentFor } from "./treatments";

interface Props {
  song: Song;
  edit: Edit;
  ears: PageEars;
  /** The stems and sections that are chosen on the sheet. */
  stems: Stem[];
  sections: Section[];
}

type Where = "all" | "chosen";

/** A button, and behind it what the chosen stems go through: gate, drive, tone and echo (rule M8). */
export function TreatmentButton(props: Props) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const close = () => {
    props.ears.stop();
    setOpen(false);
  };
  const [first] = props.stems;
  if (!first || !props.stems.every((stem) => stem.treatable)) return null;
  const name = props.stems.length > 1 ? t("stems.title", { count: props.stems.length }) : first.name;
  return (
    <>
      <button type="button" className="btn self-start" onClick={() => setOpen(true)}>
        <AudioWaveform size={14} aria-hidden />
        {t("treatment.open")}
      </button>
      {open && (
        <Dialog
          open
          onOpenChange={(is) => !is && close()}
          title={t("treatment.title", { name })}
          about={t("treatment.about")}
        >
          <Inside {...props} stem={first} done={close} />
        </Dialog>
      )}
    </>
  );
}

function Inside({ song, edit, ears, stems, sections, stem, done }: Props & { stem: Stem; done: () => void }) {
  const { t } = useTranslation();
  const own = sections.some((s) => stem.treatments[s.id]);
  const [where, setWhere] = useState<Where>(own ? "chosen" : "all");
  const at = where === "chosen" ? sections[0]?.id : undefined;
  const sent = useSent();
  const kept: Treatment | null = (at === undefined ? stem.treatment : stem.treatments[at]) ?? null;
  const now = sent.treatment === undefined ? kept : sent.treatment;
  const take = (treatment: Treatment | null) =>
    sent.until(
      treatment,
      edit("set_treatment", {
        stems: stems.map((s) => s.id),
        treatment,
        ...(where === "chosen" && { sections: sections.map((s) => s.id) }),
      }),
    );
  const set = (part: Partial<Treatment>) =>
    void take({ gate: null, drive: null, tone: null, echo: null, ...now, ...part });
  const curve = stem.curves[at ?? ""];
  return (
    <div className="flex flex-col gap-3">
      <WhereChoice sections={sections} where={where} setWhere={setWhere} />
      <PurposeChoice now={now} everywhere={where === "all"} take={(one) => void take(one)} />
      {now !== null && (
        <>
          <GatePart gate={now.gate} set={(gate) => set({ gate })} />
          <DrivePart drive={now.drive} set={(drive) => set({ drive })} />
          <TonePart tone={now.tone} set={(tone) => set({ tone })}>
            {curve && <ToneCurve db={curve} />}
          </TonePart>
          <EchoPart echo={now.echo} set={(echo) => set({ echo })} />
        </>
      )}
      {stem.notes.map((note) => (
        <p key={note} role="note" className="border-l-[5px] border-brass bg-brassbg px-3 py-2">
          {note}
        </p>
      ))}
      <div className="flex items-center justify-between">
        <Hear {...{ song, ears, sections, heard: JSON.stringify([stem.treatment, stem.treatments]) }} />
        <button type="button" className="btn pri" onClick={done}>
          {t("common.done")}
        </button>
      </div>
    </div>
  );
}

/** What was changed and is not kept yet: another change that is made meanwhile begins with it. */
function useSent() {
  const [treatment, setTreatment] = useState<Treatment | null | undefined>();
  const pending = useRef(0);
  const until = async (sent: Treatment | null, kept: Promise<unknown>) => {
    pending.current += 1;
    setTreatment(sent);
    await kept;
    pending.current -= 1;
    if (!pending.current) setTreatment(undefined);
  };
  return { treatment, until };
}

interface WhereProps {
  sections: Section[];
  where: Where;
  setWhere: (where: Where) => void;
}

/** In the whole song, or in the chosen sections alone. */
function WhereChoice({ sections, where, setWhere }: WhereProps) {
  const { t } = useTranslation();
  const names = sections.map((s) => `${s.mark} ${s.name}`).join(", ");
  return (
    <Labelled label={t("treatment.where")}>
      <select className="field" value={where} onChange={(e) => setWhere(e.target.value as Where)}>
        <option value="all">{t("treatment.everywhere")}</option>
        <option value="chosen">{t("treatment.inChosen", { names })}</option>
      </select>
    </Labelled>
  );
}

interface PurposeProps {
  now: Treatment | null;
  everywhere: boolean;
  take: (treatment: Treatment | null) => void;
}

/** What it is for; or nothing, which in a section is as everywhere else. */
function PurposeChoice({ now, everywhere, take }: PurposeProps) {
  const { t } = useTranslation();
  const chosen = (value: string) => {
    if (value === "none") take(null);
    else if (value === "own") take(now ?? treatmentFor());
    else take(treatmentFor(value as TreatmentPurpose));
  };
  return (
    <Labelled label={t("tone.for")}>
      <select className="field" value={purposeOf(now)} onChange={(e) => chosen(e.target.value)}>
        <option value="none">{t(everywhere ? "tone.none" : "treatment.asElsewhere")}</option>
        {TREATMENT_PURPOSES.map((name) => (
          <option key={name} value={name}>
            {t(`treatment.purpose.${name}`)}
          </option>
        ))}
        <option value="own">{t("tone.own")}</option>
      </select>
    </Labelled>
  );
}

/** Hears the chosen sections round and round with everything else; a change is heard from where they are. */
function Hear({ song, ears, sections, heard }: Pick<Props, "song" | "ears" | "sections"> & { heard: string }) {
  const { t } = useTranslation();
  const [first, last] = [sections[0], sections.at(-1)];
  const hearing = ears.state !== "idle";
  const hear = () => {
    if (!first || !last) return;
    const loop = last.first_bar + last.bars - first.first_bar;
    ears.hear({ song: song.id, bar: first.first_bar, form: "full", click: false, cues: false, loop });
  };
  const before = useRef(heard);
  useEffect(() => {
    if (before.current === heard) return;
    before.current = heard;
    if (hearing) hear();
  });
  return (
    <button type="button" className="btn" onClick={() => (hearing ? ears.stop() : hear())}>
      {hearing ? <Square size={13} aria-hidden /> : <Play size={13} aria-hidden />}
      {hearing ? t("song.stopHearing") : t("treatment.hear")}
    </button>
  );
}
