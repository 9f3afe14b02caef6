import { LENGTHS } from "@/generated/core";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { usePlayers, useSavedPlayer } from "@/api/queries";
import type { Player } from "@/api/types";
import { Confirm, Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

/** Who plays in the band: the people stems can stand in for. */
export function PlayersDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const players = usePlayers();
  const { create, save, remove } = useSavedPlayer();
  const [name, setName] = useState("");
  const [going, setGoing] = useState<Player | null>(null);
  const add = () =>
    create.mutate(
      { name: name.trim(), position: players.data?.length ?? 0 },
      { onSuccess: () => setName(""), onError: complain },
    );
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title={t("people.players")} about={t("people.playersAbout")}>
      <ul className="mb-3 flex flex-col gap-1">
        {players.data?.map((p) => (
          <li key={p.id} className="flex items-center gap-2">
            <Typed
              className="w-[130px]"
              aria-label={t("people.playerName", { name: p.name })}
              value={p.name}
              maxLength={LENGTHS.NAME}
              onDone={(text) => save.mutate({ id: p.id, name: text }, { onError: complain })}
            />
            <Typed
              className="grow"
              aria-label={t("people.playerPart", { name: p.name })}
              placeholder={t("people.part")}
              value={p.part}
              maxLength={LENGTHS.NAME}
              onDone={(part) => save.mutate({ id: p.id, part }, { onError: complain })}
            />
            <button
              type="button"
              className="btn bare text-clay"
              aria-label={t("people.removePlayer", { name: p.name })}
              onClick={() => setGoing(p)}
            >
              <Trash2 size={14} aria-hidden />
            </button>
          </li>
        ))}
      </ul>
      <form
        className="flex gap-2"
        onSubmit={(e) => {
          e.preventDefault();
          add();
        }}
      >
        <input
          className="field grow"
          required
          maxLength={LENGTHS.NAME}
          placeholder={t("people.newPlayer")}
          aria-label={t("people.newPlayer")}
          value={name}
          onChange={(e) => setName(e.target.value)}
        />
        <button type="submit" className="btn pri">
          {t("people.add")}
        </button>
      </form>
      <Confirm
        open={going !== null}
        onOpenChange={(now) => !now && setGoing(null)}
        title={t("people.removeTitle", { name: going?.name ?? "" })}
        about={t("people.removeAbout")}
        yes={t("people.remove")}
        onYes={() => going && remove.mutate(going.id, { onError: complain })}
      />
    </Dialog>
  );
}
