import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useFolded, useTakenToRig } from "@/api/outputs";
import { useShows } from "@/api/queries";
import type { Feed, Folded, Rig, Show } from "@/api/types";
import { signed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";
import { Menu, MenuItem } from "@/ui/menu";
import { useNotices } from "@/ui/notices";
import { Trouble } from "@/ui/states";

import { DeskNote } from "./desk-note";
import { InMono } from "./in-mono";
import { Loudest } from "./loudest";

const VENUE = 2;
const SHOWN = 5;

interface Props {
  rig: Rig;
  rigs: Rig[];
  feeds: Feed[];
}

/** What the show on this rig, or the newest one, would lose in a venue with two sockets, and the way to any other rig. */
export function OtherRig({ rig, rigs, feeds }: Props) {
  const { t } = useTranslation();
  const shows = useShows();
  const [open, setOpen] = useState(false);
  const show = shows.data?.find((s) => s.rig === rig.id) ?? shows.data?.[0];
  return (
    <section aria-label={t("outputs.other.title")} className="mt-5">
      <h2 className="mb-1">{t("outputs.other.lostTitle", { sockets: VENUE })}</h2>
      {shows.data && !show && <p className="small">{t("outputs.other.noShow")}</p>}
      {show && (
        <>
          <Told show={show} rig={null} most={SHOWN} />
          <div className="mt-2 flex flex-wrap gap-2">
            <button type="button" className="btn" onClick={() => setOpen(true)}>
              {t("outputs.other.open")}
            </button>
            <Paper show={show} />
          </div>
        </>
      )}
      {show && <DeskNote key={show.id} show={show} />}
      {show && show.rig === rig.id && <InMono show={show} />}
      {show && <Loudest show={show} />}
      {open && show && shows.data && (
        <OtherRigDialog first={show} shows={shows.data} rigs={rigs} feeds={feeds} onClose={() => setOpen(false)} />
      )}
    </section>
  );
}

/** The page for the desk engineer of a show, its table, and labels for the cables. */
function Paper({ show }: { show: Show }) {
  const { t } = useTranslation();
  const open = (kind: string) => () => window.open(`/api/shows/${show.id}/patch-sheet/?as=${kind}`);
  return (
    <Menu label={t("outputs.sheet.title")}>
      <MenuItem onSelect={open("pdf")}>{t("outputs.sheet.page", { show: show.title })}</MenuItem>
      <MenuItem onSelect={open("labels")}>{t("outputs.sheet.labels")}</MenuItem>
      <MenuItem onSelect={open("csv")}>{t("outputs.sheet.table")}</MenuItem>
    </Menu>
  );
}

/** What is lost, in words, the worst first. */
function Told({ show, rig, most = Infinity }: { show: Show; rig: string | null; most?: number }) {
  const { t } = useTranslation();
  const folded = useFolded(show.id, rig, VENUE);
  if (folded.error) return <Trouble error={folded.error} again={() => void folded.refetch()} />;
  if (!folded.data) return <p className="small">{t("outputs.other.working")}</p>;
  const { lost, kept } = folded.data;
  return (
    <>
      {lost.length === 0 && <p className="small">{t("outputs.other.nothing")}</p>}
      <ul className="small">
        {lost.slice(0, most).map((one) => (
          <li key={one.code + one.what} className="border-t border-line2 py-1">
            {one.message}
          </li>
        ))}
        {lost.length > most && (
          <li className="border-t border-line2 py-1">{t("outputs.other.more", { count: lost.length - most })}</li>
        )}
      </ul>
      {kept > 0 && <p className="small">{t("outputs.other.kept", { count: kept })}</p>}
    </>
  );
}

interface DialogProps extends Omit<Props, "rig"> {
  first: Show;
  shows: Show[];
  onClose: () => void;
}

/** A show, a rig, what goes where on it, what is lost, and the one press that takes it. */
function OtherRigDialog({ first, shows, rigs, feeds, onClose }: DialogProps) {
  const { t } = useTranslation();
  const [chosen, setChosen] = useState(first);
  const [rig, setRig] = useState<string>("");
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && onClose()}
      title={t("outputs.other.open")}
      about={t("outputs.other.about")}
    >
      <div className="grid grid-cols-2 gap-3">
        <Labelled label={t("outputs.other.show")}>
          <select
            className="field"
            value={chosen.id}
            onChange={(e) => setChosen(shows.find((s) => s.id === e.target.value) ?? first)}
          >
            {shows.map((s) => (
              <option key={s.id} value={s.id}>
                {s.title}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled label={t("outputs.other.rig")}>
          <select className="field" value={rig} onChange={(e) => setRig(e.target.value)}>
            <option value="">{t("outputs.other.two")}</option>
            {rigs.map((r) => (
              <option key={r.id} value={r.id}>
                {r.name}
              </option>
            ))}
          </select>
        </Labelled>
      </div>
      <div className="mt-4 grid grid-cols-2 gap-5">
        <Goes show={chosen} rig={rig || null} feeds={feeds} />
        <div>
          <Told show={chosen} rig={rig || null} />
        </div>
      </div>
      <Take show={chosen} rig={rigs.find((r) => r.id === rig)} onClose={onClose} />
    </Dialog>
  );
}

/** Each socket with the feeds it would carry. */
function Goes({ show, rig, feeds }: { show: Show; rig: string | null; feeds: Feed[] }) {
  const { t } = useTranslation();
  const { data } = useFolded(show.id, rig, VENUE);
  const named = new Map(feeds.map((f) => [f.id, f.name]));
  const said = (p: Folded["patch"][number]) =>
    `${named.get(p.feed) ?? "?"}${p.side === "mono" ? "" : ` ${t(`sides.short.${p.side}`)}`}${p.trim_db ? ` ${signed(p.trim_db)} dB` : ""}`;
  const numbers = [...new Set(data?.patch.map((p) => p.socket))].sort((a, b) => a - b);
  return (
    <table className="self-start">
      <caption className="small pb-1 text-left">{t("outputs.other.goes")}</caption>
      <tbody>
        {numbers.map((number) => (
          <tr key={number} className="border-t border-line2">
            <th scope="row" className="w-[40px] py-1 text-left text-[16px] font-[750] [font-stretch:75%]">
              {number}
            </th>
            <td className="py-1">
              {data?.patch
                .filter((p) => p.socket === number)
                .map(said)
                .join(" + ")}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Take({ show, rig, onClose }: { show: Show; rig: Rig | undefined; onClose: () => void }) {
  const { t } = useTranslation();
  const taken = useTakenToRig();
  const { complain, say } = useNotices();
  const take = () =>
    rig &&
    taken.mutate(
      { show: show.id, rig: rig.id },
      {
        onSuccess: () => {
          say(t("outputs.other.taken", { show: show.title, rig: rig.name }));
          onClose();
        },
        onError: complain,
      },
    );
  return (
    <div className="mt-5 flex justify-end gap-2">
      <button type="button" className="btn" onClick={onClose}>
        {t("common.close")}
      </button>
      {rig && (
        <button type="button" className="btn pri" disabled={taken.isPending} onClick={take}>
          {t("outputs.other.take", { show: show.title })}
        </button>
      )}
    </div>
  );
}
