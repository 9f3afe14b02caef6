import { useQueryClient } from "@tanstack/react-query";
import { Plus, Redo2, Undo2 } from "lucide-react";
import { useState } from "react";
import { useTranslation } from "react-i18next";
import { Link, useNavigate, useParams } from "react-router";

import { api } from "@/api/client";
import { useOutputsTravel } from "@/api/outputs";
import { useFeeds, useRigs, useSavedFeed, useSavedRig } from "@/api/queries";
import type { Feed, Rig } from "@/api/types";
import { put } from "@/api/put";
import { LENGTHS, RANGES, STARTERS } from "@/generated/core";
import { Confirm } from "@/ui/dialog";
import { IconButton } from "@/ui/icon-button";
import { Menu, MenuItem, MenuLine } from "@/ui/menu";
import { useNotices } from "@/ui/notices";
import { Trouble, Waiting } from "@/ui/states";
import { Typed } from "@/ui/typed";
import { usePageKeys } from "@/ui/use-page-keys";

import { Board } from "./board-view";
import { OutputsSide } from "./outputs-side";
import { NewRig } from "./new-rig";

export function OutputsPage() {
  const { t } = useTranslation();
  const { id } = useParams();
  const rigs = useRigs();
  const feeds = useFeeds();
  const [adding, setAdding] = useState(false);
  if (rigs.isPending || feeds.isPending) return <Waiting />;
  if (rigs.error || feeds.error)
    return (
      <Trouble error={rigs.error ?? feeds.error} again={() => void Promise.all([rigs.refetch(), feeds.refetch()])} />
    );
  const rig = rigs.data.find((r) => r.id === id) ?? rigs.data[0];
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)_310px]">
      <div className="flex min-h-0 min-w-0 flex-col px-5 pt-[14px]">
        {rig ? (
          <Head rig={rig} rigs={rigs.data} add={() => setAdding(true)} />
        ) : (
          <div className="flex items-center gap-3 pb-3">
            <div className="grow">
              <h1>{t("places.outputs")}</h1>
              <p className="text-soft">{t("outputs.noRig")}</p>
            </div>
            <button type="button" className="btn pri" onClick={() => setAdding(true)}>
              <Plus size={14} aria-hidden />
              {t("outputs.newRig")}
            </button>
          </div>
        )}
        <Work feeds={feeds.data} rig={rig} unwired={rigs.data.every((r) => r.patches.length === 0)} />
      </div>
      <OutputsSide rig={rig} rigs={rigs.data} feeds={feeds.data} />
      {adding && <NewRig onClose={() => setAdding(false)} position={rigs.data.length} />}
    </div>
  );
}

/** The last change of feeds and rigs taken back, or done again; by Ctrl Z and Ctrl Shift Z too. */
function Undo() {
  const { t } = useTranslation();
  const { ways, travel } = useOutputsTravel();
  const { complain } = useNotices();
  const go = (way: "undo" | "redo", able: boolean | undefined) => () => {
    if (able) travel.mutate(way, { onError: complain });
  };
  const [undo, redo] = [go("undo", ways?.can_undo), go("redo", ways?.can_redo)];
  usePageKeys({ undo, redo });
  return (
    <span className="flex">
      <IconButton label={t("song.undo")} icon={Undo2} disabled={!ways?.can_undo} onClick={undo} />
      <IconButton label={t("song.redo")} icon={Redo2} disabled={!ways?.can_redo} onClick={redo} />
    </span>
  );
}

function Head({ rig, rigs, add }: { rig: Rig; rigs: Rig[]; add: () => void }) {
  const { t } = useTranslation();
  const { save } = useSavedRig();
  const { complain } = useNotices();
  return (
    <div className="flex items-end gap-3 pb-2">
      <div className="min-w-0 grow">
        <p className="small">{t("places.outputs")}</p>
        <h1 className="sr-only">{rig.name}</h1>
        <Typed
          className="plain w-full text-[22px] font-[650]! [font-stretch:88%]"
          aria-label={t("outputs.rigName")}
          value={rig.name}
          maxLength={LENGTHS.TITLE}
          onDone={(name) => save.mutate({ id: rig.id, name }, { onError: complain })}
        />
      </div>
      <Undo />
      <Rigs rig={rig} rigs={rigs} add={add} />
    </div>
  );
}

/** The other rigs, and what can be done with this one as a whole. */
function Rigs({ rig, rigs, add }: { rig: Rig; rigs: Rig[]; add: () => void }) {
  const { t } = useTranslation();
  const { save, remove } = useSavedRig();
  const { complain } = useNotices();
  const navigate = useNavigate();
  const [deleting, setDeleting] = useState(false);
  const more = () => {
    const number = Math.max(0, ...rig.sockets.map((s) => s.number)) + 1;
    save.mutate({ id: rig.id, sockets: [...rig.sockets, { number }] }, { onError: complain });
  };
  const fewer = () => {
    const gone = rig.sockets.at(-1)?.number;
    save.mutate(
      { id: rig.id, sockets: rig.sockets.slice(0, -1), patches: rig.patches.filter((p) => p.socket !== gone) },
      { onError: complain },
    );
  };
  return (
    <>
      <Menu label={t("outputs.rigs")} align="end">
        {rigs.map((r) => (
          <MenuItem key={r.id} onSelect={() => void navigate(`/outputs/${r.id}`)}>
            <span className={r.id === rig.id ? "font-bold" : ""}>{r.name}</span>
          </MenuItem>
        ))}
        <MenuLine />
        <MenuItem onSelect={add}>{t("outputs.newRig")}</MenuItem>
        <MenuItem onSelect={more} disabled={rig.sockets.length >= RANGES.SOCKETS.max}>
          {t("outputs.moreSockets")}
        </MenuItem>
        <MenuItem onSelect={fewer} disabled={rig.sockets.length === 0}>
          {t("outputs.fewerSockets")}
        </MenuItem>
        <MenuItem bad onSelect={() => setDeleting(true)}>
          {t("outputs.deleteRig")}
        </MenuItem>
      </Menu>
      <Confirm
        open={deleting}
        onOpenChange={setDeleting}
        title={t("outputs.deleteTitle", { name: rig.name })}
        about={t("outputs.deleteAbout")}
        yes={t("outputs.deleteRig")}
        onYes={() => remove.mutate(rig.id, { onSuccess: () => void navigate("/outputs"), onError: complain })}
      />
    </>
  );
}

interface WorkProps {
  feeds: Feed[];
  rig: Rig | undefined;
  /** Nothing is wired on any rig: the feeds can still be others. */
  unwired: boolean;
}

function Work({ feeds, rig, unwired }: WorkProps) {
  const { t } = useTranslation();
  const { create } = useSavedFeed();
  const { complain } = useNotices();
  const client = useQueryClient();
  const begin = (starter: (typeof STARTERS)[number]) =>
    void api<Feed[]>("feeds/usual/", "POST", { starter }).then((made) => {
      put(client, ["feeds"], made);
      for (const key of ["rigs", "outputs"]) void client.invalidateQueries({ queryKey: [key] });
    }, complain);
  return (
    <>
      <Board feeds={feeds} rig={rig} />
      <div className="flex flex-none flex-wrap gap-2 border-t border-line py-3">
        <button
          type="button"
          className="btn"
          onClick={() =>
            create.mutate(
              { name: t("outputs.newFeedName"), kind: "monitor", channels: 1, position: feeds.length, sends: [] },
              { onError: complain },
            )
          }
        >
          <Plus size={14} aria-hidden />
          {t("outputs.newFeed")}
        </button>
        {unwired && (
          <Menu label={t("outputs.starters")}>
            {STARTERS.map((starter) => (
              <MenuItem key={starter} onSelect={() => begin(starter)}>
                {t(`outputs.starter.${starter}`)}
              </MenuItem>
            ))}
          </Menu>
        )}
        <span className="grow" />
        <Link className="btn" to="/stage/line-check">
          {t("lineCheck.title")}
        </Link>
        <Link className="btn" to="/stage/desk">
          {t("desk.title")}
        </Link>
      </div>
    </>
  );
}
