import { useTranslation } from "react-i18next";

import type { Entry, EntryChange } from "@/api/types";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";
import { Typed } from "@/ui/typed";

const SCREENS = ["song", "film", "stills", "words", "black"] as const;

interface Props {
  entry: Entry;
  title: string;
  change: (part: Partial<EntryChange>) => void;
  onClose: () => void;
}

/** What leaves the stage with an entry: what screens show (rule B4), the label of timecode of its bar 1 (rule S4). */
export function OutsideDialog({ entry, title, change, onClose }: Props) {
  const { t } = useTranslation();
  return (
    <Dialog open onOpenChange={(open) => !open && onClose()} title={t("entry.outside")} about={title}>
      <div className="flex flex-col gap-3">
        <Labelled label={t("setlist.screen")}>
          <select
            className="field"
            value={entry.screen ?? "song"}
            onChange={(e) => change({ screen: e.target.value as EntryChange["screen"] })}
          >
            {SCREENS.map((screen) => (
              <option key={screen} value={screen}>
                {t(`setlist.screens.${screen}`)}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled label={t("setlist.timecode")}>
          <Typed
            className="tabular-nums"
            placeholder={t("setlist.ownHour")}
            maxLength={11}
            value={entry.timecode}
            onDone={(timecode) => change({ timecode })}
          />
        </Labelled>
        <button type="button" className="btn pri self-end" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}
