import { Lock, Repeat } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Ending, Section } from "@/api/types";
import { RehearsalMark } from "@/ui/mark";

interface Props {
  section: Section;
  ending: Ending;
  /** Opens the section; nothing where it cannot be changed. */
  open: ((section: string) => void) | null;
  hearLoop: (bar: number, bars: number) => void;
}

export function SectionHead({ section, ending, open, hearLoop }: Props) {
  const { t } = useTranslation();
  const what = (
    <>
      <span className="sr-only">{t("section.one")} </span>
      <RehearsalMark mark={section.mark} colour={section.colour} />{" "}
      <span className="min-w-0 truncate text-[14px] font-[650]">{section.name}</span>
    </>
  );
  return (
    <header className="pr-2 pt-[16px]">
      {open ? (
        <button
          type="button"
          className="flex w-full items-center gap-[6px] text-left hover:underline"
          onClick={() => open(section.id)}
        >
          {what}
        </button>
      ) : (
        <div className="flex items-center gap-[6px]">{what}</div>
      )}
      <Bars section={section} hearLoop={hearLoop} />
      {ending.kind !== "attacca" && (
        <p className="pl-[30px] text-[11.5px] font-[650] text-[var(--k)]">
          {t(`ending.short.${ending.kind}`, { times: ending.times ?? 2 })}
        </p>
      )}
      {section.note && (
        <p className="mt-0.5 line-clamp-2 whitespace-pre-line pl-[30px] text-[11px] leading-[1.25] text-soft">
          {section.note}
        </p>
      )}
    </header>
  );
}

/** Which bars it has, and a press that plays them round and round. */
function Bars({ section, hearLoop }: { section: Section; hearLoop: Props["hearLoop"] }) {
  const { t } = useTranslation();
  const last = section.first_bar + section.bars - 1;
  return (
    <p className="small relative mt-0.5 flex items-center gap-1 pl-[30px]">
      {section.bars === 1
        ? t("section.oneBar", { bar: section.first_bar })
        : t("section.bars", { first: section.first_bar, last })}
      {section.locked && <Lock size={11} aria-label={t("section.isLocked")} />}
      <button
        type="button"
        className="btn bare absolute right-2 top-0 min-h-[16px]! px-1! py-0! text-soft hover:text-ink"
        aria-label={t("section.loop", { name: section.name })}
        title={t("section.loop", { name: section.name })}
        onClick={() => hearLoop(section.first_bar, section.bars)}
      >
        <Repeat size={12} aria-hidden />
      </button>
    </p>
  );
}
