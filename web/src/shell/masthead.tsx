import { useState } from "react";
import { useTranslation } from "react-i18next";
import { NavLink, Outlet } from "react-router";

import { api } from "@/api/client";
import type { Me } from "@/api/types";
import { Logo } from "@/ui/mark";
import { Menu, MenuItem } from "@/ui/menu";
import { useNotices } from "@/ui/notices";

import { InviteDialog } from "@/people/invite-dialog";
import { LineUpsDialog } from "@/people/line-ups-dialog";
import { MembersDialog } from "@/people/members-dialog";
import { PlayersDialog } from "@/people/players-dialog";

const PLACES = ["songs", "setlists", "outputs", "hands", "stage", "nights"] as const;

export function Masthead({ me }: { me: Me }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const [inviting, setInviting] = useState(false);
  const [players, setPlayers] = useState(false);
  const [lineUps, setLineUps] = useState(false);
  const [members, setMembers] = useState(false);
  const who = me.role ? `${me.name} · ${me.role}` : me.name;
  const leave = () =>
    void api("sign-out/", "POST")
      .then(() => location.assign("/signed-out"))
      .catch(complain);
  return (
    <div className="flex h-full flex-col">
      <a href="#work" className="btn pri absolute left-2 top-[-60px] z-50 focus:top-2">
        {t("app.skip")}
      </a>
      <header className="flex h-[46px] flex-none items-center gap-[18px] border-b border-line bg-sheet px-[18px]">
        <NavLink to="/songs" className="flex items-center gap-2 text-[16px] font-[750] [font-stretch:82%]">
          <Logo />
          {t("app.name")}
        </NavLink>
        <Places />
        <span className="grow" />
        <Menu label={who} name={t("people.menu", { who })} className="btn bare text-soft" align="end">
          <MenuItem onSelect={() => setPlayers(true)}>{t("people.players")}</MenuItem>
          <MenuItem onSelect={() => setLineUps(true)}>{t("lineUp.title")}</MenuItem>
          <MenuItem onSelect={() => setMembers(true)}>{t("people.members")}</MenuItem>
          <MenuItem onSelect={() => setInviting(true)}>{t("people.invite")}</MenuItem>
          <MenuItem onSelect={leave}>{t("people.signOut")}</MenuItem>
        </Menu>
      </header>
      <main id="work" tabIndex={-1} className="min-h-0 flex-1 outline-none">
        <Outlet />
      </main>
      <PlayersDialog open={players} onOpenChange={setPlayers} />
      <LineUpsDialog open={lineUps} onOpenChange={setLineUps} />
      <MembersDialog open={members} onOpenChange={setMembers} />
      <InviteDialog open={inviting} onOpenChange={setInviting} />
    </div>
  );
}

function Places() {
  const { t } = useTranslation();
  return (
    <nav aria-label={t("app.places")} className="flex gap-[18px]">
      {PLACES.map((place) => (
        <NavLink
          key={place}
          to={`/${place}`}
          className={({ isActive }) =>
            `border-b-2 px-0.5 py-1 font-[550] ${isActive ? "border-brassline text-ink" : "border-transparent text-soft hover:text-ink"}`
          }
        >
          {t(`places.${place}`)}
        </NavLink>
      ))}
    </nav>
  );
}
