import { useTranslation } from "react-i18next";

import { useSongs } from "@/api/queries";
import type { Binding, LongDoes } from "@/api/types";
import { ENCODINGS, RANGES, WHENS } from "@/generated/core";
import { FigureField, Labelled, Tick } from "@/ui/form";
import { useNotices } from "@/ui/notices";

import type { SideProps } from "./hands-side";
import { padOffers } from "./offers";
import { useDoesWords } from "./words";

interface Props extends Pick<SideProps, "hands" | "names" | "change"> {
  binding: Binding;
  bind: (binding: Binding) => void;
}

/** How a control has to be pressed for what it does, and where that holds. */
export function BindingDetails({ binding, hands, names, bind, change }: Props) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const words = useDoesWords(names);
  const { control, does } = binding;
  const set = (part: Partial<Binding>) => bind({ ...binding, ...part });
  const level = does.kind === "level" || (does.kind === "bank" && does.bank === "stems");
  const trouble = hands.troubles.find((one) => one.binding === binding.id);
  return (
    <div className="flex flex-col gap-2 border-l-[5px] border-pine bg-pinebg px-3 py-2">
      <b>{t("hands.doesNow", { words: words(does) })}</b>
      {trouble && <p className="text-clay">{trouble.message}</p>}
      {!level && <Pressing binding={binding} set={set} names={names} />}
      {level && control.kind === "controller" && (
        <Labelled label={t("hands.encoding")}>
          <select
            className="field"
            value={binding.encoding}
            onChange={(e) => set({ encoding: e.target.value as Binding["encoding"] })}
          >
            {ENCODINGS.filter((one) => one !== "fine" || control.number < 32).map((one) => (
              <option key={one} value={one}>
                {t(`hands.encodings.${one}`)}
              </option>
            ))}
          </select>
        </Labelled>
      )}
      <Where binding={binding} set={set} />
      <div>
        <button
          type="button"
          className="btn bad"
          onClick={() => change.mutate({ unbind: binding.id }, { onError: complain })}
        >
          {t("hands.unbind")}
        </button>
      </div>
    </div>
  );
}

interface PartProps {
  binding: Binding;
  set: (part: Partial<Binding>) => void;
}

/** Held or not, what a long press does, from which velocity on, a switch that opens, when a section comes. */
function Pressing({ binding, set, names }: PartProps & Pick<SideProps, "names">) {
  const { t } = useTranslation();
  const { control, does, long } = binding;
  const words = useDoesWords(names);
  const offers = padOffers({ sounds: [], words: [], devices: [] }).flatMap(([, all]) => all);
  const key = (one: LongDoes | null) => (one ? words(one) : "");
  const hold = binding.hold === null ? "" : String(binding.hold);
  return (
    <div className="grid grid-cols-2 gap-2">
      <Labelled label={t("hands.hold")}>
        <select
          className="field"
          value={hold}
          onChange={(e) => set({ hold: e.target.value === "" ? null : e.target.value === "true" })}
        >
          <option value="">{t("hands.holdUsual")}</option>
          <option value="true">{t("hands.holdYes")}</option>
          <option value="false">{t("hands.holdNo")}</option>
        </select>
      </Labelled>
      <Labelled label={t("hands.long")}>
        <select
          className="field"
          value={key(long)}
          onChange={(e) => set({ long: offers.find((one) => key(one) === e.target.value) ?? null })}
        >
          <option value="">{t("hands.longNothing")}</option>
          {offers.map((one) => (
            <option key={key(one)} value={key(one)}>
              {key(one)}
            </option>
          ))}
        </select>
      </Labelled>
      <SectionWhen does={does} set={set} />
      {control.kind === "note" && (
        <FigureField
          label={t("hands.threshold")}
          value={String(binding.threshold)}
          onDone={(text) => set({ threshold: Math.min(127, Math.max(1, Math.round(Number(text) || 1))) })}
        />
      )}
      {control.kind === "controller" && (
        <Tick label={t("hands.opens")} checked={binding.opens} onChange={(opens) => set({ opens })} />
      )}
    </div>
  );
}

/** When a section comes that a control asks for. */
function SectionWhen({ does, set }: Pick<Binding, "does"> & Pick<PartProps, "set">) {
  const { t } = useTranslation();
  if (does.kind !== "section" && !(does.kind === "bank" && does.bank === "sections")) return null;
  return (
    <Labelled label={t("hands.when")}>
      <select
        className="field"
        value={does.when}
        onChange={(e) => set({ does: { ...does, when: e.target.value as (typeof WHENS)[number] } })}
      >
        {WHENS.map((when) => (
          <option key={when} value={when}>
            {t(`stage.when.${when}`)}
          </option>
        ))}
      </select>
    </Labelled>
  );
}

/** The page of pads and the song in which it holds. */
function Where({ binding, set }: PartProps) {
  const { t } = useTranslation();
  const songs = useSongs().data ?? [];
  return (
    <div className="grid grid-cols-2 gap-2">
      <Labelled label={t("hands.onPage")}>
        <select
          className="field"
          value={binding.page ?? ""}
          onChange={(e) => set({ page: e.target.value ? Number(e.target.value) : null })}
        >
          <option value="">{t("hands.allPages")}</option>
          {Array.from({ length: RANGES.PAD_PAGES.max }, (_, i) => (
            <option key={i} value={i + 1}>
              {t("hands.page", { page: i + 1 })}
            </option>
          ))}
        </select>
      </Labelled>
      <Labelled label={t("hands.inWhich")}>
        <select className="field" value={binding.song ?? ""} onChange={(e) => set({ song: e.target.value || null })}>
          <option value="">{t("hands.allSongs")}</option>
          {songs.map((song) => (
            <option key={song.id} value={song.id}>
              {song.title}
            </option>
          ))}
        </select>
      </Labelled>
    </div>
  );
}
