import { useTranslation } from "react-i18next";

import { useNights } from "@/api/queries";
import { dayAndClock } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { Trouble, Waiting } from "@/ui/states";

/** The nights that were written down, each to be saved. */
export function NightsDialog({ onClose }: { onClose: () => void }) {
  const { t } = useTranslation();
  const nights = useNights();
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("stage.nights.title")}
      about={nights.data && t("stage.nights.about", { days: nights.data.kept_days })}
    >
      {nights.isPending ? (
        <Waiting />
      ) : nights.error ? (
        <Trouble error={nights.error} again={() => void nights.refetch()} />
      ) : nights.data.nights.length === 0 ? (
        <p className="text-soft">{t("stage.nights.none")}</p>
      ) : (
        <ul className="flex max-h-[50vh] flex-col overflow-auto">
          {nights.data.nights.map((night) => (
            <li key={night.name} className="border-t border-line2">
              <a
                className="flex min-h-[44px] items-center justify-between gap-3"
                href={`/api/nights/${night.name}/`}
                download
                aria-label={t("stage.nights.save", { title: night.title, when: dayAndClock(night.began) })}
              >
                <span className="font-[650]">{night.title}</span>
                <span className="small">
                  {dayAndClock(night.began)} · {Math.ceil(night.bytes / 1024)} KB
                </span>
              </a>
            </li>
          ))}
        </ul>
      )}
    </Dialog>
  );
}
