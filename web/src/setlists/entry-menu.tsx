import { Ellipsis } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { usePlayers } from "@/api/queries";
import type { Entry, EntryChange } from "@/api/types";
import { Menu, MenuCheck, MenuItem, MenuLabel, MenuLine } from "@/ui/menu";

import { kindOf } from "./entries";
import { KeyTempoDialog } from "./key-tempo-dialog";
import { OutsideDialog } from "./outside-dialog";

export const COLOURS = [1, 2, 3, 4, 5, 6] as const;

interface Props {
  entry: Entry;
  title: string;
  change: (part: Partial<EntryChange>) => void;
}

/** What else an entry has: its colour, and of a song who is on in it other than in the show. */
export function EntryMenu({ entry, title, change }: Props) {
  const [open, setOpen] = useState<"outside" | "keyTempo" | null>(null);
  const onClose = () => setOpen(null);
  return (
    <>
      <Items {...{ entry, title, change, setOpen }} />
      {open === "outside" && <OutsideDialog {...{ entry, title, change, onClose }} />}
      {open === "keyTempo" && <KeyTempoDialog {...{ entry, title, change, onClose }} />}
    </>
  );
}

function Items({ entry, title, change, setOpen }: Props & { setOpen: (open: "outside" | "keyTempo") => void }) {
  const { t } = useTranslation();
  const isSong = kindOf(entry) === "song";
  return (
    <Menu label={<Ellipsis size={15} aria-hidden />} name={t("entry.more", { title })} className="btn bare" align="end">
      {isSong && <Players entry={entry} change={change} />}
      {isSong && (
        <>
          <MenuItem onSelect={() => setOpen("keyTempo")}>{t("keyTempo.title")}</MenuItem>
          <MenuItem onSelect={() => setOpen("outside")}>{t("entry.outside")}</MenuItem>
          <MenuLine />
        </>
      )}
      <MenuLabel>{t("section.colour")}</MenuLabel>
      {COLOURS.map((colour) => (
        <MenuCheck
          key={colour}
          checked={entry.colour === colour}
          onChange={(on) => change({ colour: on ? colour : null })}
        >
          <span className={`k${colour} inline-block h-[14px] w-[14px] border border-[var(--k)] bg-[var(--kb)]`} />
          {t(`colours.${colour}`)}
        </MenuCheck>
      ))}
    </Menu>
  );
}

/** Each player as in the show, on in this one, or away. */
function Players({ entry, change }: Pick<Props, "entry" | "change">) {
  const { t } = useTranslation();
  const players = usePlayers().data ?? [];
  const said = entry.players ?? {};
  if (!players.length) return null;
  const say = (player: string, on: boolean | null) => {
    const { [player]: _, ...rest } = said;
    change({ players: on === null ? rest : { ...rest, [player]: on } });
  };
  return (
    <>
      <MenuLabel>{t("entry.players")}</MenuLabel>
      {players.map((p) => (
        <MenuCheck
          key={p.id}
          checked={p.id in said}
          onChange={() => say(p.id, said[p.id] === false ? true : p.id in said ? null : false)}
        >
          {t(said[p.id] === undefined ? "entry.asInShow" : said[p.id] ? "entry.on" : "entry.away", { name: p.name })}
        </MenuCheck>
      ))}
      {Object.keys(said).length > 0 && (
        <MenuItem onSelect={() => change({ players: {} })}>{t("entry.allAsInShow")}</MenuItem>
      )}
      <MenuLine />
    </>
  );
}

/** What an entry shows on screens, and where its timecode begins, where it is other than by itself. */
export function Outside({ entry }: { entry: Entry }) {
  const { t } = useTranslation();
  return (
    <>
      {entry.screen && entry.screen !== "song" && <span className="tag">{t(`setlist.screens.${entry.screen}`)}</span>}
      {entry.timecode && <span className="tag tabular-nums">{entry.timecode}</span>}
    </>
  );
}

/** Who is on in an entry, or away, other than in the show. */
export function Exceptions({ entry }: { entry: Entry }) {
  const { t } = useTranslation();
  const players = usePlayers().data ?? [];
  const said = entry.players ?? {};
  return players
    .filter((p) => p.id in said)
    .map((p) => (
      <span key={p.id} className={`tag ${said[p.id] ? "bg-pinebg! text-pine!" : "bg-claybg! text-clay!"}`}>
        {t(said[p.id] ? "entry.on" : "entry.away", { name: p.name })}
      </span>
    ));
}
