import { LENGTHS } from "@/generated/core";
import { Trash2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { usePlayers, useSavedPlayer } from "@/api/queries";
import type { Player } from "@/api/types";
import { Confirm, Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { NewName } from "./new-name";

/** Who plays in the band: the people stems can stand in for. */
export function PlayersDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const players = usePlayers();
  const { create, remove } = useSavedPlayer();
  const [going, setGoing] = useState<Player | null>(null);
  const add = (name: string, done: () => void) =>
    create.mutate({ name, position: players.data?.length ?? 0 }, { onSuccess: done, onError: complain });
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title={t("people.players")} about={t("people.playersAbout")}>
      <ul className="mb-3 flex flex-col gap-1">
        {players.data?.map((p) => (
          <PlayerRow key={p.id} player={p} remove={() => setGoing(p)} />
        ))}
      </ul>
      <NewName label={t("people.newPlayer")} button={t("people.add")} add={add} />
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

function PlayerRow({ player: p, remove }: { player: Player; remove: () => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { save } = useSavedPlayer();
  return (
    <li className="flex items-center gap-2">
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
        onClick={remove}
      >
        <Trash2 size={14} aria-hidden />
      </button>
    </li>
  );
}
