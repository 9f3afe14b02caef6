import { LENGTHS } from "@/generated/core";
import { Trash2 } from "lucide-react";
import { useTranslation } from "react-i18next";

import { useLineUps, usePlayers, useSavedLineUp } from "@/api/queries";
import type { LineUp, Player } from "@/api/types";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { NewName } from "./new-name";

/** Who is on for which evening, and who stands in for whom. */
export function LineUpsDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const lineUps = useLineUps();
  const players = usePlayers();
  const { create } = useSavedLineUp();
  const add = (name: string, done: () => void) =>
    create.mutate({ name, position: lineUps.data?.length ?? 0 }, { onSuccess: done, onError: complain });
  return (
    <Dialog open={open} onOpenChange={onOpenChange} title={t("lineUp.title")} about={t("lineUp.about")} wide>
      {players.data?.length === 0 && <p className="mb-3 text-soft">{t("lineUp.noPlayers")}</p>}
      <div className="mb-3 flex flex-col gap-3">
        {lineUps.data?.map((lineUp) => (
          <OneLineUp key={lineUp.id} lineUp={lineUp} players={players.data ?? []} />
        ))}
      </div>
      <NewName label={t("lineUp.new")} button={t("lineUp.add")} add={add} />
    </Dialog>
  );
}

function OneLineUp({ lineUp: kept, players }: { lineUp: LineUp; players: Player[] }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const { save, remove } = useSavedLineUp();
  // A tick stands at once; what the server says takes its place.
  const lineUp = save.isPending ? { ...kept, ...save.variables } : kept;
  const keep = (change: Partial<LineUp>) => save.mutate({ id: lineUp.id, ...change }, { onError: complain });
  return (
    <section aria-label={lineUp.name} className="border border-line bg-sheet px-3 py-2">
      <div className="mb-1 flex items-center gap-2">
        <Typed
          className="plain grow font-[650]!"
          aria-label={t("lineUp.nameOf", { name: lineUp.name })}
          value={lineUp.name}
          maxLength={LENGTHS.NAME}
          onDone={(name) => keep({ name })}
        />
        <button
          type="button"
          className="btn bare text-clay"
          aria-label={t("lineUp.remove", { name: lineUp.name })}
          onClick={() => remove.mutate(lineUp.id, { onError: complain })}
        >
          <Trash2 size={14} aria-hidden />
        </button>
      </div>
      <ul className="flex flex-col gap-1">
        {players.map((p) => (
          <PlayerRow key={p.id} player={p} lineUp={lineUp} keep={keep} />
        ))}
      </ul>
    </section>
  );
}

interface PlayerProps {
  player: Player;
  lineUp: LineUp;
  keep: (change: Partial<LineUp>) => void;
}

/** Whether a player is on, and who stands in. */
function PlayerRow({ player: p, lineUp, keep }: PlayerProps) {
  const { t } = useTranslation();
  const away = lineUp.away ?? [];
  const gone = away.includes(p.id);
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_auto_170px] items-center gap-3">
      <span>
        {p.name} <span className="small">{p.part}</span>
      </span>
      <label className="flex items-center gap-2">
        <input
          type="checkbox"
          checked={!gone}
          onChange={(e) => keep({ away: e.target.checked ? away.filter((a) => a !== p.id) : [...away, p.id] })}
          aria-label={t("lineUp.playsIn", { name: p.name, lineUp: lineUp.name })}
        />
        {t("lineUp.plays")}
      </label>
      {gone ? (
        <Typed
          className="w-full"
          placeholder={t("lineUp.nobody")}
          aria-label={t("lineUp.standsIn", { name: p.name })}
          value={lineUp.guests?.[p.id] ?? ""}
          maxLength={LENGTHS.NAME}
          onDone={(guest) => keep({ guests: { ...lineUp.guests, [p.id]: guest } })}
        />
      ) : (
        <span />
      )}
    </li>
  );
}
