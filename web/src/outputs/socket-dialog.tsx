import { useTranslation } from "react-i18next";

import { useSavedRig } from "@/api/queries";
import type { Feed, Patch, Rig, Socket } from "@/api/types";
import { figure, signed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { FigureField, Labelled, Tick } from "@/ui/form";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";
import { LENGTHS } from "@/generated/core";

interface Props {
  socket: Socket;
  rig: Rig;
  feeds: Feed[];
  onClose: () => void;
}

/** A socket: what it is wired to in the room, and how each feed goes out of it. */
export function SocketDialog({ socket, rig, feeds, onClose }: Props) {
  const { t } = useTranslation();
  const { save } = useSavedRig();
  const { complain } = useNotices();
  const patches = rig.patches.filter((p) => p.socket === socket.number);
  const change = (part: Partial<Socket>) =>
    save.mutate(
      { id: rig.id, sockets: rig.sockets.map((s) => (s.number === socket.number ? { ...s, ...part } : s)) },
      { onError: complain },
    );
  const setPatches = (which: (p: Patch) => boolean, part: Partial<Patch>) =>
    save.mutate(
      { id: rig.id, patches: rig.patches.map((p) => (which(p) ? { ...p, ...part } : p)) },
      { onError: complain },
    );
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("outputs.socketTitle", { number: socket.number })}
    >
      <div className="flex flex-col gap-3">
        <Labelled label={t("outputs.wiredTo")}>
          <Typed
            value={socket.label}
            maxLength={LENGTHS.TITLE}
            placeholder={t("outputs.wiredExample")}
            onDone={(label) => change({ label })}
          />
        </Labelled>
        <Facts socket={socket} change={change} />
        <Pair socket={socket} rig={rig} change={change} />
        <Kinds socket={socket} change={change} />
        {patches.length > 0 && <Patches socket={socket} patches={patches} feeds={feeds} change={setPatches} />}
      </div>
      <div className="mt-5 flex justify-end">
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}

/** Whose the socket is, and what kind it is. */
function Kinds({ socket, change }: { socket: Socket; change: (part: Partial<Socket>) => void }) {
  const { t } = useTranslation();
  return (
    <div className="flex flex-wrap gap-x-6 gap-y-2">
      <Tick
        label={t("outputs.keep")}
        checked={socket.use === "kept"}
        onChange={(kept) => change({ use: kept ? "kept" : "free" })}
      />
      <Tick label={t("outputs.balanced")} checked={socket.balanced} onChange={(balanced) => change({ balanced })} />
      <Tick
        label={t("outputs.headphones")}
        checked={socket.headphones ?? false}
        onChange={(headphones) => change({ headphones })}
      />
    </div>
  );
}

/** Which socket it makes a pair with. */
function Pair({ socket, rig, change }: Omit<Props, "feeds" | "onClose"> & { change: (part: Partial<Socket>) => void }) {
  const { t } = useTranslation();
  const { number } = socket;
  const usual = number % 2 ? number + 1 : number - 1;
  const others = rig.sockets.map((s) => s.number).filter((n) => n !== number);
  return (
    <Labelled label={t("outputs.pair")}>
      <select className="field" value={socket.pair ?? 0} onChange={(e) => change({ pair: Number(e.target.value) })}>
        <option value={0}>
          {others.includes(usual) ? t("outputs.pairUsual", { number: usual }) : t("outputs.pairNone")}
        </option>
        {others.map((n) => (
          <option key={n} value={n}>
            {t("outputs.pairWith", { number: n })}
          </option>
        ))}
        <option value={number}>{t("outputs.pairNone")}</option>
      </select>
    </Labelled>
  );
}

/** What stands on the box and at the desk, and the cable between. */
function Facts({ socket, change }: { socket: Socket; change: (part: Partial<Socket>) => void }) {
  const { t } = useTranslation();
  const text = (name: "printed" | "desk" | "mirrored") => (
    <Labelled label={t(`outputs.${name}`)}>
      <Typed
        value={socket[name] ?? ""}
        maxLength={LENGTHS.SOCKET_TEXT}
        placeholder={t(`outputs.${name}Example`)}
        onDone={(value) => change({ [name]: value })}
      />
    </Labelled>
  );
  return (
    <div className="grid grid-cols-4 gap-3">
      {text("printed")}
      {text("desk")}
      {text("mirrored")}
      <FigureField
        label={t("outputs.cable")}
        value={String(socket.cable_m ?? 0)}
        onDone={(metres) => change({ cable_m: figure(metres) })}
      />
    </div>
  );
}

interface PatchesProps {
  socket: Socket;
  patches: Patch[];
  feeds: Feed[];
  change: (which: (p: Patch) => boolean, part: Partial<Patch>) => void;
}

/** What goes out of the socket; its wires share one delay. */
function Patches({ socket, patches, feeds, change }: PatchesProps) {
  const { t } = useTranslation();
  return (
    <>
      <table className="w-full">
        <caption className="small pb-1 text-left">{t("outputs.patchHere")}</caption>
        <tbody>
          {patches.map((patch) => (
            <PatchRow
              key={`${patch.feed}.${patch.side}`}
              patch={patch}
              feed={feeds.find((f) => f.id === patch.feed)}
              change={(part) => change((p) => p === patch, part)}
            />
          ))}
        </tbody>
      </table>
      <Delay
        ms={patches[0]?.delay_ms ?? 0}
        change={(delay_ms) => change((p) => p.socket === socket.number, { delay_ms })}
      />
    </>
  );
}

interface PatchProps {
  patch: Patch;
  feed: Feed | undefined;
  change: (part: Partial<Patch>) => void;
}

/** A wire that ends in the socket: its trim and polarity. */
function PatchRow({ patch, feed, change }: PatchProps) {
  const { t } = useTranslation();
  const name =
    feed?.channels === 1 ? feed.name : t("outputs.sideOf", { name: feed?.name ?? "?", side: t(`sides.${patch.side}`) });
  return (
    <tr className="border-t border-line2">
      <th scope="row" className="py-1 text-left font-semibold">
        {name}
      </th>
      <td className="py-1">
        <Typed
          className="w-[64px] text-right"
          aria-label={t("outputs.trimOf", { name })}
          value={signed(patch.trim_db)}
          inputMode="decimal"
          onDone={(db) => change({ trim_db: figure(db) })}
        />{" "}
        dB
      </td>
      <td className="py-1 text-right">
        <label className="inline-flex items-center gap-2">
          <input type="checkbox" checked={patch.invert} onChange={(e) => change({ invert: e.target.checked })} />
          {t("stems.invert")}
        </label>
      </td>
    </tr>
  );
}

/** The delay of the socket: all wires that end in it share it. */
function Delay({ ms, change }: { ms: number; change: (ms: number) => void }) {
  const { t } = useTranslation();
  return (
    <label className="flex items-center gap-2">
      <span className="small">{t("outputs.delay")}</span>
      <Typed
        className="w-[74px] text-right"
        value={signed(ms, 2)}
        inputMode="decimal"
        onDone={(text) => change(figure(text))}
      />{" "}
      ms
    </label>
  );
}
