import { useTranslation } from "react-i18next";

import { useSavedShow } from "@/api/queries";
import type { Show } from "@/api/types";
import { LENGTHS } from "@/generated/core";
import { Labelled } from "@/ui/form";
import { useNotices } from "@/ui/notices";
import { TypedArea } from "@/ui/typed-area";

/** What the patch sheet of a show tells the desk engineer besides its figures. */
export function DeskNote({ show }: { show: Show }) {
  const { t } = useTranslation();
  const { save } = useSavedShow();
  const { complain } = useNotices();
  return (
    <Labelled label={t("outputs.sheet.note", { show: show.title })} className="mt-3">
      <TypedArea
        rows={3}
        maxLength={LENGTHS.DESK_NOTE}
        placeholder={t("outputs.sheet.noteExample")}
        value={show.desk_note ?? ""}
        onDone={(desk_note) => save.mutate({ id: show.id, desk_note }, { onError: complain })}
      />
    </Labelled>
  );
}
