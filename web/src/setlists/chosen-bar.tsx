import { ArrowDown, ArrowUp, X } from "lucide-react";
import { useTranslation } from "react-i18next";

import { IconButton } from "@/ui/icon-button";
import { Menu, MenuItem } from "@/ui/menu";

import { COLOURS } from "./entry-menu";

interface Props {
  count: number;
  moveBy: (by: -1 | 1) => void;
  colour: (colour: number | null) => void;
  makeSet: () => void;
  remove: () => void;
  clear: () => void;
}

/** What is done with all chosen entries at once. */
export function ChosenBar({ count, moveBy, colour, makeSet, remove, clear }: Props) {
  const { t } = useTranslation();
  return (
    <div
      role="toolbar"
      aria-label={t("chosen.title")}
      className="panel sticky top-0 z-20 mb-1 flex items-center gap-2 px-3 py-1"
    >
      <b className="grow">{t("chosen.count", { count })}</b>
      <IconButton label={t("chosen.up")} icon={ArrowUp} onClick={() => moveBy(-1)} />
      <IconButton label={t("chosen.down")} icon={ArrowDown} onClick={() => moveBy(1)} />
      <button type="button" className="btn" onClick={makeSet}>
        {t("chosen.set")}
      </button>
      <Menu label={t("section.colour")} align="end">
        <MenuItem onSelect={() => colour(null)}>{t("chosen.noColour")}</MenuItem>
        {COLOURS.map((one) => (
          <MenuItem key={one} onSelect={() => colour(one)}>
            <span className={`k${one} inline-block h-[14px] w-[14px] border border-[var(--k)] bg-[var(--kb)]`} />
            {t(`colours.${one}`)}
          </MenuItem>
        ))}
      </Menu>
      <button type="button" className="btn" onClick={remove}>
        {t("chosen.remove")}
      </button>
      <IconButton label={t("chosen.clear")} icon={X} onClick={clear} />
    </div>
  );
}
