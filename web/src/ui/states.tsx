import { useTranslation } from "react-i18next";

import { Refused } from "@/api/client";

/** While something is fetched; it says nothing for the first moments, so that quick answers do not flicker. */
export function Waiting() {
  const { t } = useTranslation();
  return (
    <p role="status" className="small animate-[pulse_1.2s_0.4s_infinite] p-6">
      {t("common.reading")}
    </p>
  );
}

export function Trouble({ error, again }: { error: unknown; again: () => void }) {
  const { t } = useTranslation();
  return (
    <div role="alert" className="m-6 max-w-[560px] border-l-4 border-clay bg-claybg p-4">
      <p className="mb-3 font-[550]">{error instanceof Refused ? error.message : t("common.fault")}</p>
      <button type="button" className="btn" onClick={again}>
        {t("common.again")}
      </button>
    </div>
  );
}
