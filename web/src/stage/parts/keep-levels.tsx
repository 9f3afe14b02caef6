import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api } from "@/api/client";
import type { Song } from "@/api/types";
import { signed } from "@/lib/format";
import { useNotices } from "@/ui/notices";

import { isMoving, type Playing } from "../engine-state";
import { StageButton } from "../stage-button";

type ToKeep = Playing["to_keep"][number];

/** Once nothing plays: the levels that were set by hand, offered to be kept in their songs (rule M7). */
export function KeepLevels({ state }: { state: Playing }) {
  const { t } = useTranslation();
  const { complain, say } = useNotices();
  const [kept, setKept] = useState<string[]>([]);
  const [busy, setBusy] = useState(false);
  const keyOf = (one: ToKeep) => `${one.stem} ${one.becomes}`;
  const left = state.to_keep.filter((one) => !kept.includes(keyOf(one)));
  if (isMoving(state) || !left.length) return null;
  const keep = async () => {
    setBusy(true);
    try {
      for (const one of left) {
        const { revision } = await api<Song>(`songs/${one.song}/`);
        const args = { stem: one.stem, gain_db: one.becomes };
        await api(`songs/${one.song}/edits/`, "POST", { do: "set_stem", args, revision, changes: true });
        setKept((all) => [...all, keyOf(one)]);
      }
      say(t("stage.keep.kept"));
    } catch (error) {
      complain(error);
    } finally {
      setBusy(false);
    }
  };
  return (
    <section
      aria-label={t("stage.keep.title")}
      className="flex flex-wrap items-center gap-x-3 gap-y-1 border border-dashed border-brassline px-3 py-2"
    >
      <p className="min-w-0 grow">
        <b>{t("stage.keep.title")}</b>{" "}
        <span className="text-soft">
          {left
            .map((one) => t("stage.keep.one", { name: one.name, db: signed(one.db, 1, true), title: one.title }))
            .join(", ")}
        </span>
      </p>
      <StageButton className="btn min-h-[56px]!" disabled={busy} onPress={() => void keep()}>
        {t("stage.keep.yes")}
      </StageButton>
    </section>
  );
}
