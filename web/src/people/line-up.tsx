import { Settings2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useLineUps } from "@/api/queries";
import { IconButton } from "@/ui/icon-button";

import { LineUpsDialog } from "./line-ups-dialog";

const KEPT = "line-up";

/** The line-up that songs are prepared for; kept in the browser. Empty: everybody plays. */
export function useLineUp() {
  const lineUps = useLineUps();
  const [chosen, setChosen] = useState(() => localStorage.getItem(KEPT) ?? "");
  const known = lineUps.data?.find((l) => l.id === chosen);
  const set = (id: string) => {
    localStorage.setItem(KEPT, id);
    setChosen(id);
  };
  return { id: known?.id ?? "", name: known?.name ?? "", all: lineUps.data ?? [], set };
}

export type ChosenLineUp = ReturnType<typeof useLineUp>;

export function LineUpChoice({ lineUp }: { lineUp: ChosenLineUp }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  return (
    <div className="flex items-center gap-1">
      <label className="flex items-center gap-2">
        <span className="small">{t("lineUp.heardAs")}</span>
        <select className="field max-w-[170px]" value={lineUp.id} onChange={(e) => lineUp.set(e.target.value)}>
          <option value="">{t("lineUp.everybody")}</option>
          {lineUp.all.map((l) => (
            <option key={l.id} value={l.id}>
              {l.name}
            </option>
          ))}
        </select>
      </label>
      <IconButton label={t("lineUp.change")} icon={Settings2} onClick={() => setOpen(true)} />
      <LineUpsDialog open={open} onOpenChange={setOpen} />
    </div>
  );
}
