import { Plus, Redo2, Undo2 } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { Navigate, useNavigate, useParams } from "react-router";

import { useSavedSetlist, useSetlists } from "@/api/queries";
import type { Setlist } from "@/api/types";
import { Confirm } from "@/ui/dialog";
import { IconButton } from "@/ui/icon-button";
import { Menu, MenuItem, MenuLine } from "@/ui/menu";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";
import { Typed } from "@/ui/typed";
import { usePageKeys } from "@/ui/use-page-keys";

import { CompareDialog } from "./compare-dialog";
import { PlaylistDialog } from "./playlist-dialog";
import { RunningOrder } from "./running-order";
import { ShowDialog } from "./show-dialog";
import { SetlistSide } from "./setlist-side";
import { bare } from "./entries";
import { LENGTHS } from "@/generated/core";

/** The setlist that was open last here. */
const LAST = "last-setlist";

export function SetlistPage({ band }: { band: string }) {
  const { t } = useTranslation();
  const { id } = useParams();
  const setlists = useSetlists();
  const { create } = useSavedSetlist();
  const { complain } = useNotices();
  const navigate = useNavigate();
  if (setlists.isPending) return <Waiting />;
  if (setlists.error) return <Trouble error={setlists.error} again={() => void setlists.refetch()} />;
  const begin = () =>
    create.mutate(
      { name: t("setlist.newName"), entries: [] },
      { onSuccess: (made) => void navigate(`/setlists/${made.id}`), onError: complain },
    );
  const chosen = setlists.data.find((s) => s.id === id);
  if (chosen) return <Opened key={chosen.id} setlist={chosen} all={setlists.data} band={band} begin={begin} />;
  const last = setlists.data.find((s) => s.id === localStorage.getItem(LAST)) ?? setlists.data[0];
  if (last) return <Navigate to={`/setlists/${last.id}`} replace />;
  return (
    <div className="flex flex-col items-center gap-3 pt-24">
      <h1>{t("places.setlists")}</h1>
      <p className="text-soft">{t("setlist.none")}</p>
      <button type="button" className="btn pri" onClick={begin}>
        <Plus size={14} aria-hidden />
        {t("setlist.new")}
      </button>
    </div>
  );
}

function Opened({ setlist, all, band, begin }: { setlist: Setlist; all: Setlist[]; band: string; begin: () => void }) {
  const { t } = useTranslation();
  const { save } = useSavedSetlist();
  const { complain } = useNotices();
  const [taking, setTaking] = useState(false);
  const [comparing, setComparing] = useState(false);
  useEffect(() => localStorage.setItem(LAST, setlist.id), [setlist.id]);
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_304px]">
      <div className="flex min-h-0 min-w-0 flex-col">
        <div className="flex items-end gap-3 px-5 pb-3 pt-[14px]">
          <div className="min-w-0 grow">
            <p className="small">
              {t("places.setlists")} / {band}
            </p>
            <h1 className="sr-only">{setlist.name}</h1>
            <Typed
              className="plain w-full text-[22px] font-[650]! [font-stretch:88%]"
              aria-label={t("setlist.name")}
              value={setlist.name}
              maxLength={LENGTHS.TITLE}
              onDone={(name) => save.mutate({ id: setlist.id, name }, { onError: complain })}
            />
          </div>
          <Undo setlist={setlist} />
          <button type="button" className="btn" onClick={() => setComparing(true)}>
            {t("setlist.compare")}
          </button>
          <Paper setlist={setlist} />
          <Others setlist={setlist} all={all} begin={begin} />
          <button type="button" className="btn pri" onClick={() => setTaking(true)}>
            {t("setlist.take")}
          </button>
        </div>
        <RunningOrder setlist={setlist} />
      </div>
      <SetlistSide setlist={setlist} take={() => setTaking(true)} />
      {comparing && <CompareDialog setlist={setlist} all={all} onClose={() => setComparing(false)} />}
      {taking && <ShowDialog setlist={setlist} show={null} onClose={() => setTaking(false)} />}
    </div>
  );
}

/** The last change taken back, or done again; by Ctrl Z and Ctrl Shift Z too. */
function Undo({ setlist }: { setlist: Setlist }) {
  const { t } = useTranslation();
  const { travel } = useSavedSetlist();
  const { complain } = useNotices();
  const go = (way: "undo" | "redo", able: boolean) => () => {
    if (able) travel.mutate({ id: setlist.id, way }, { onError: complain });
  };
  const [undo, redo] = [go("undo", setlist.can_undo), go("redo", setlist.can_redo)];
  usePageKeys({ undo, redo });
  return (
    <span className="flex">
      <IconButton label={t("song.undo")} icon={Undo2} disabled={!setlist.can_undo} onClick={undo} />
      <IconButton label={t("song.redo")} icon={Redo2} disabled={!setlist.can_redo} onClick={redo} />
    </span>
  );
}

/** The running order to be printed, or taken as a table. */
function Paper({ setlist }: { setlist: Setlist }) {
  const { t } = useTranslation();
  const path = `/api/setlists/${setlist.id}`;
  const [sounding, setSounding] = useState(false);
  return (
    <>
      <Menu label={t("setlist.print")} align="end">
        <MenuItem onSelect={() => window.open(`${path}/print/?for=floor`)}>{t("setlist.printFloor")}</MenuItem>
        <MenuItem onSelect={() => window.open(`${path}/print/?for=crew`)}>{t("setlist.printCrew")}</MenuItem>
        <MenuLine />
        <MenuItem onSelect={() => window.open(`${path}/table/`)}>{t("setlist.saveTable")}</MenuItem>
        <MenuItem onSelect={() => setSounding(true)}>{t("setlist.playlist")}</MenuItem>
      </Menu>
      {sounding && <PlaylistDialog setlist={setlist} onClose={() => setSounding(false)} />}
    </>
  );
}

/** The other setlists, and what can be done with this one as a whole. */
function Others({ setlist, all, begin }: { setlist: Setlist; all: Setlist[]; begin: () => void }) {
  const { t } = useTranslation();
  const { create, remove } = useSavedSetlist();
  const { complain } = useNotices();
  const navigate = useNavigate();
  const [deleting, setDeleting] = useState(false);
  const copy = () =>
    create.mutate(
      {
        name: t("setlist.copyName", { name: setlist.name }),
        slot_minutes: setlist.slot_minutes,
        starts_at: setlist.starts_at,
        entries: setlist.entries.map(({ id: _, ...e }) => bare(e)),
      },
      { onSuccess: (made) => void navigate(`/setlists/${made.id}`), onError: complain },
    );
  return (
    <>
      <Menu label={t("setlist.others")} align="end">
        {all.map((s) => (
          <MenuItem key={s.id} onSelect={() => void navigate(`/setlists/${s.id}`)}>
            <span className={s.id === setlist.id ? "font-bold" : ""}>{s.name}</span>
          </MenuItem>
        ))}
        <MenuLine />
        <MenuItem onSelect={begin}>{t("setlist.new")}</MenuItem>
        <MenuItem onSelect={copy}>{t("setlist.copy")}</MenuItem>
        <MenuItem bad onSelect={() => setDeleting(true)}>
          {t("setlist.delete")}
        </MenuItem>
      </Menu>
      <Confirm
        open={deleting}
        onOpenChange={setDeleting}
        title={t("setlist.deleteTitle", { name: setlist.name })}
        about={t("setlist.deleteAbout")}
        yes={t("setlist.delete")}
        onYes={() => remove.mutate(setlist.id, { onSuccess: () => void navigate("/setlists"), onError: complain })}
      />
    </>
  );
}
