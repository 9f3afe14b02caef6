import { useTranslation } from "react-i18next";

import { useSavedRig } from "@/api/queries";
import type { Feed, Patch, Rig, Socket } from "@/api/types";
import { signed, typed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";
import { LENGTHS } from "@/generated/core";

const number = (text: string) => Number(typed(text));

/** A socket: what it is wired to in the room, and how each feed goes out of it. */
export function SocketDialog({
  socket,
  rig,
  feeds,
  onClose,
}: {
  socket: Socket;
  rig: Rig;
  feeds: Feed[];
  onClose: () => void;
}) {
  const { t } = useTranslation();
  const { save } = useSavedRig();
  const { complain } = useNotices();
  const patches = rig.patches.filter((p) => p.socket === socket.number);
  const change = (part: Partial<Socket>) =>
    save.mutate(
      { id: rig.id, sockets: rig.sockets.map((s) => (s.number === socket.number ? { ...s, ...part } : s)) },
      { onError: complain },
    );
  const changePatch = (patch: Patch, part: Partial<Patch>) =>
    save.mutate(
      { id: rig.id, patches: rig.patches.map((p) => (p === patch ? { ...p, ...part } : p)) },
      { onError: complain },
    );
  // Sockets of one number share one delay, since they share one wire.
  const setDelay = (delay_ms: number) =>
    save.mutate(
      { id: rig.id, patches: rig.patches.map((p) => (p.socket === socket.number ? { ...p, delay_ms } : p)) },
      { onError: complain },
    );
  return (
    <Dialog
      open
      onOpenChange={(open) => !open && onClose()}
      title={t("outputs.socketTitle", { number: socket.number })}
    >
      <div className="flex flex-col gap-3">
        <label className="flex flex-col gap-1">
          <span className="small">{t("outputs.wiredTo")}</span>
          <Typed
            value={socket.label}
            maxLength={LENGTHS.TITLE}
            placeholder={t("outputs.wiredExample")}
            onDone={(label) => change({ label })}
          />
        </label>
        <div className="flex gap-6">
          <label className="flex items-center gap-2">
            <input
              type="checkbox"
              checked={socket.use === "kept"}
              onChange={(e) => change({ use: e.target.checked ? "kept" : "free" })}
            />
            {t("outputs.keep")}
          </label>
          <label className="flex items-center gap-2">
            <input type="checkbox" checked={socket.balanced} onChange={(e) => change({ balanced: e.target.checked })} />
            {t("outputs.balanced")}
          </label>
        </div>
        {patches.length > 0 && (
          <>
            <table className="w-full">
              <caption className="small pb-1 text-left">{t("outputs.patchHere")}</caption>
              <tbody>
                {patches.map((patch) => {
                  const feed = feeds.find((f) => f.id === patch.feed);
                  const name =
                    feed?.channels === 1
                      ? feed.name
                      : t("outputs.sideOf", { name: feed?.name ?? "?", side: t(`sides.${patch.side}`) });
                  return (
                    <tr key={`${patch.feed}.${patch.side}`} className="border-t border-line2">
                      <th scope="row" className="py-1 text-left font-semibold">
                        {name}
                      </th>
                      <td className="py-1">
                        <Typed
                          className="w-[64px] text-right"
                          aria-label={t("outputs.trimOf", { name })}
                          value={signed(patch.trim_db)}
                          inputMode="decimal"
                          onDone={(db) => changePatch(patch, { trim_db: number(db) })}
                        />{" "}
                        dB
                      </td>
                      <td className="py-1 text-right">
                        <label className="inline-flex items-center gap-2">
                          <input
                            type="checkbox"
                            checked={patch.invert}
                            onChange={(e) => changePatch(patch, { invert: e.target.checked })}
                          />
                          {t("stems.invert")}
                        </label>
                      </td>
                    </tr>
                  );
                })}
              </tbody>
            </table>
            <label className="flex items-center gap-2">
              <span className="small">{t("outputs.delay")}</span>
              <Typed
                className="w-[74px] text-right"
                value={signed(patches[0]?.delay_ms ?? 0, 2)}
                inputMode="decimal"
                onDone={(ms) => setDelay(number(ms))}
              />{" "}
              ms
            </label>
          </>
        )}
      </div>
      <div className="mt-5 flex justify-end">
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}
