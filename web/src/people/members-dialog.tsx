import { useTranslation } from "react-i18next";

import { useMembers, usePlayers } from "@/api/queries";
import type { Member, Player, Right } from "@/api/types";
import { RIGHTS } from "@/generated/core";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

/** Who is in the band, what each may do, and whose mix is theirs (rule B3). */
export function MembersDialog({ open, onOpenChange }: { open: boolean; onOpenChange: (open: boolean) => void }) {
  const { t } = useTranslation();
  const { members, save } = useMembers();
  const players = usePlayers();
  const { complain } = useNotices();
  const change = (member: Member) => (part: Partial<Member>) =>
    save.mutate({ id: member.id, ...part }, { onError: complain });
  return (
    <Dialog open={open} onOpenChange={onOpenChange} wide title={t("people.members")} about={t("people.membersAbout")}>
      <ul className="flex flex-col gap-2">
        {members.data?.map((m) => (
          <Row key={m.id} member={m} players={players.data ?? []} change={change(m)} />
        ))}
      </ul>
    </Dialog>
  );
}

interface RowProps {
  member: Member;
  players: Player[];
  change: (part: Partial<Member>) => void;
}

function Row({ member, players, change }: RowProps) {
  const { t } = useTranslation();
  const { name } = member;
  return (
    <li className="grid grid-cols-[minmax(0,1fr)_190px_170px] items-center gap-2 border-t border-line2 pt-2">
      <span className="min-w-0">
        <b className="block truncate font-[650]">{name}</b>
        <span className="small">{member.role}</span>
      </span>
      <select
        className="field"
        aria-label={t("people.rightOf", { name })}
        value={member.right}
        onChange={(e) => change({ right: e.target.value as Right })}
      >
        {RIGHTS.map((right) => (
          <option key={right} value={right}>
            {t(`people.rights.${right}`)}
          </option>
        ))}
      </select>
      <select
        className="field"
        aria-label={t("people.mixOf", { name })}
        value={member.player ?? ""}
        onChange={(e) => change({ player: e.target.value || null })}
      >
        <option value="">{t("people.noMix")}</option>
        {players.map((p) => (
          <option key={p.id} value={p.id}>
            {t("people.ownMix", { name: p.name })}
          </option>
        ))}
      </select>
    </li>
  );
}
