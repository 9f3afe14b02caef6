import { useMutation } from "@tanstack/react-query";
import { Ellipsis } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { useNavigate } from "react-router";

import { api } from "@/api/client";
import { Confirm } from "@/ui/dialog";
import { Menu, MenuCheck, MenuItem } from "@/ui/menu";
import { useNotices } from "@/ui/notices";

import { NightsDialog } from "./nights-dialog";
import { LIGHTS } from "./use-light";

const LIGHT_WORDS = ["full", "less", "dim", "least"] as const;

interface Props {
  loaded: boolean;
  /** Whether it is a rehearsal, and how it becomes one or a show again. */
  rehearsal: boolean;
  rehearse: (on: boolean) => void;
  /** Opens who has joined; not where they may not know. */
  phones?: (() => void) | undefined;
  light: number;
  setLight: (light: number) => void;
}

/** What is done with the stage as a whole, away from the hands of the night. `loaded`: an own show that stands still. */
export function StageMenu({ loaded, rehearsal, rehearse, phones, light, setLight }: Props) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const navigate = useNavigate();
  const [open, setOpen] = useState<"nights" | "back" | "rehearsal" | null>(null);
  const giveBack = useMutation({ mutationFn: () => api("engine/", "DELETE"), onError: complain });
  return (
    <>
      <Menu label={<Ellipsis size={18} aria-hidden />} name={t("stage.menu")} className="btn bare" align="end">
        <MenuItem onSelect={() => setOpen("nights")}>{t("stage.nights.title")}</MenuItem>
        <MenuItem onSelect={() => void navigate("/stage/line-check")}>{t("lineCheck.title")}</MenuItem>
        <MenuItem onSelect={() => void navigate("/stage/desk")}>{t("desk.title")}</MenuItem>
        {phones && <MenuItem onSelect={phones}>{t("phones.title")}</MenuItem>}
        <MenuItem onSelect={() => void navigate("/stage/remote")}>{t("remote.title")}</MenuItem>
        <MenuItem onSelect={() => setOpen("rehearsal")} disabled={!loaded}>
          {t(rehearsal ? "stage.rehearsal.end" : "stage.rehearsal.begin")}
        </MenuItem>
        {LIGHTS.map((l, i) => (
          <MenuCheck key={l} checked={light === l} onChange={() => setLight(l)}>
            {t("stage.light.one", { light: t(`stage.light.${LIGHT_WORDS[i] ?? "full"}`) })}
          </MenuCheck>
        ))}
        <MenuItem onSelect={() => setOpen("back")} disabled={!loaded}>
          {t("stage.giveBack")}
        </MenuItem>
      </Menu>
      {open === "nights" && <NightsDialog onClose={() => setOpen(null)} />}
      <Confirm
        open={open === "rehearsal"}
        onOpenChange={() => setOpen(null)}
        title={t(rehearsal ? "stage.rehearsal.end" : "stage.rehearsal.begin")}
        about={t(rehearsal ? "stage.rehearsal.endAbout" : "stage.rehearsal.beginAbout")}
        yes={t(rehearsal ? "stage.rehearsal.end" : "stage.rehearsal.begin")}
        onYes={() => rehearse(!rehearsal)}
      />
      <Confirm
        open={open === "back"}
        onOpenChange={() => setOpen(null)}
        title={t("stage.giveBackTitle")}
        about={t("stage.giveBackAbout")}
        yes={t("stage.giveBack")}
        onYes={() => giveBack.mutate()}
      />
    </>
  );
}
