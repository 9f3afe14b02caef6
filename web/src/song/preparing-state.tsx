import { useTranslation } from "react-i18next";

import type { Entry } from "@/api/types";
import { duration } from "@/lib/format";
import { Progress } from "@/ui/progress";

interface Props {
  now: NonNullable<Entry["preparing"]>;
  /** Has it prepared, where that was broken off. */
  again: () => void;
  busy: boolean;
}

/** How far a song is prepared in a key and tempo. */
export function PreparingState({ now, again, busy }: Props) {
  const { t } = useTranslation();
  if (now.state === "ready") return <p role="status">{t("preparing.ready")}</p>;
  if (now.state === "working")
    return (
      <div className="flex items-center gap-3">
        <Progress label={t("preparing.working")} done={now.progress} />
        <span role="status">
          {now.left_s === null ? t("preparing.working") : t("preparing.left", { left: duration(now.left_s) })}
        </span>
      </div>
    );
  return (
    <div className="flex items-center gap-3">
      <p className="min-w-0 grow text-clay">{now.message || t("preparing.none")}</p>
      <button type="button" className="btn" disabled={busy} onClick={again}>
        {t("preparing.again")}
      </button>
    </div>
  );
}
