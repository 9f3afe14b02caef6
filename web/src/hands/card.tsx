import type { ReactNode } from "react";
import { useTranslation } from "react-i18next";

interface Props {
  name: string;
  tag: string;
  bad?: boolean;
  pages: number;
  page: number;
  shown: number;
  show: (page: number) => void;
  tools?: ReactNode;
  children: ReactNode;
}

/** Something that is plugged in: its name, how it is, its pages of pads. */
export function Card({ name, tag, bad, pages, page, shown, show, tools, children }: Props) {
  const { t } = useTranslation();
  return (
    <section aria-label={name} className="border border-line bg-sheet px-[14px] py-3">
      <div className="flex flex-wrap items-baseline gap-[10px]">
        <h2 className="text-[15px]!">{name}</h2>
        <span className={`tag ${bad ? "text-clay" : ""}`}>{tag}</span>
        <span className="grow" />
        {tools}
      </div>
      {pages > 1 && (
        <div role="group" aria-label={t("hands.pagesOf", { name })} className="mt-2 flex gap-[6px]">
          {Array.from({ length: pages }, (_, i) => i + 1).map((one) => (
            <button key={one} type="button" className="btn" aria-pressed={one === shown} onClick={() => show(one)}>
              {t(one === page ? "hands.pageNow" : "hands.page", { page: one })}
            </button>
          ))}
        </div>
      )}
      {children}
    </section>
  );
}
