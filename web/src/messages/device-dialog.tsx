import { X } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useDevicesChange } from "@/api/devices";
import type { Device } from "@/api/types";
import { LENGTHS, RANGES } from "@/generated/core";
import { figure } from "@/lib/format";
import { newId } from "@/lib/new-id";
import { Dialog } from "@/ui/dialog";
import { FilePicker } from "@/ui/file-picker";
import { DialogFoot, Labelled, Tick } from "@/ui/form";
import { IconButton } from "@/ui/icon-button";
import { useNotices } from "@/ui/notices";
import { Typed } from "@/ui/typed";

import { Numbers } from "./message-form";
import { begun, KINDS_OF, wordsOf } from "./says";
import { type DeviceLine, learnt } from "./use-device-line";

interface Props {
  /** None for a new one. */
  device: Device | undefined;
  line: DeviceLine;
  onClose: () => void;
}

/** A device: its name, where it is, how early its messages go out, and those that it has by a name. */
export function DeviceDialog({ device, line, onClose }: Props) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const change = useDevicesChange();
  const [id] = useState(() => device?.id ?? newId());
  const put = (part: Partial<Device>) => sure({ put: { id, ...part } });
  const sure = (what: Parameters<typeof change.mutateAsync>[0]) =>
    change
      .mutateAsync(what)
      .then(() => true)
      .catch((error: unknown) => {
        complain(error);
        return false;
      });
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && onClose()}
      title={device?.name ?? t("messages.newDevice")}
      about={t("messages.deviceAbout")}
    >
      {device ? (
        <>
          <Facts device={device} line={line} put={put} />
          {device.kind !== "timecode" && (
            <NamedMessages device={device} line={line} keep={(named) => sure({ named, of: device.id })} />
          )}
          <DialogFoot
            remove={t("messages.takeDeviceOut")}
            onRemove={() => change.mutate({ takeOut: device.id }, { onError: complain })}
            onClose={onClose}
          />
        </>
      ) : (
        <NewDevice put={put} onClose={onClose} />
      )}
    </Dialog>
  );
}

type Put = (part: Partial<Device>) => Promise<boolean>;

function NewDevice({ put, onClose }: { put: Put; onClose: () => void }) {
  const { t } = useTranslation();
  const [name, setName] = useState("");
  const [kind, setKind] = useState<Device["kind"]>("midi");
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(e) => {
        e.preventDefault();
        void put({ name: name.trim(), kind }).then((taken) => taken && onClose());
      }}
    >
      <Labelled label={t("messages.deviceName")}>
        <input className="field" value={name} maxLength={LENGTHS.NAME} onChange={(e) => setName(e.target.value)} />
      </Labelled>
      <KindChoice kind={kind} choose={setKind} />
      <button type="submit" className="btn pri self-end" disabled={!name.trim()}>
        {t("messages.addDevice")}
      </button>
    </form>
  );
}

function KindChoice({ kind, choose }: { kind: Device["kind"]; choose: (kind: Device["kind"]) => void }) {
  const { t } = useTranslation();
  return (
    <Labelled label={t("messages.deviceKind")}>
      <select className="field" value={kind} onChange={(e) => choose(e.target.value as Device["kind"])}>
        <option value="midi">{t("messages.isMidi")}</option>
        <option value="osc">{t("messages.isOsc")}</option>
        <option value="timecode">{t("messages.isTimecode")}</option>
      </select>
    </Labelled>
  );
}

interface PartProps {
  device: Device;
  line: DeviceLine;
  put: Put;
}

function Facts({ device, line, put }: PartProps) {
  const { t } = useTranslation();
  const { min, max } = RANGES.DEVICE_LEAD_MS;
  return (
    <div className="grid grid-cols-2 gap-3">
      <Labelled label={t("messages.deviceName")} wide>
        <Typed value={device.name} maxLength={LENGTHS.NAME} onDone={(name) => put({ name })} />
      </Labelled>
      {device.kind === "timecode" ? (
        <TimecodeFacts device={device} line={line} put={put} />
      ) : device.kind === "midi" ? (
        <MidiFacts device={device} line={line} put={put} />
      ) : (
        <>
          <Labelled label={t("messages.host")}>
            <Typed value={device.host} maxLength={120} onDone={(host) => put({ host })} />
          </Labelled>
          <Labelled label={t("messages.udpPort")}>
            <Typed
              inputMode="numeric"
              value={String(device.udp_port ?? "")}
              onDone={(text) => put({ udp_port: text ? figure(text) : null })}
            />
          </Labelled>
        </>
      )}
      {device.socket === null && (
        <Labelled label={t("messages.lead", { min, max })}>
          <Typed inputMode="decimal" value={String(device.lead_ms)} onDone={(text) => put({ lead_ms: figure(text) })} />
        </Labelled>
      )}
    </div>
  );
}

/** Timecode: its port and rate, and what it does where the song jumps. */
function TimecodeFacts({ device, line, put }: PartProps) {
  const { t } = useTranslation();
  return (
    <>
      {device.socket === null && <PortChoice device={device} line={line} put={put} />}
      <Labelled label={t("messages.timecodeSocket")}>
        <Typed
          inputMode="numeric"
          value={String(device.socket ?? "")}
          onDone={(text) => put({ socket: text ? figure(text) : null })}
        />
      </Labelled>
      <Labelled label={t("messages.fps")}>
        <select
          className="field"
          value={device.fps}
          onChange={(e) => void put({ fps: e.target.value as Device["fps"] })}
        >
          {Object.entries(FPS).map(([fps, name]) => (
            <option key={fps} value={fps}>
              {t(`messages.rate.${name}`)}
            </option>
          ))}
        </select>
      </Labelled>
      <Labelled label={t("messages.onJump")}>
        <select
          className="field"
          value={device.on_jump}
          onChange={(e) => void put({ on_jump: e.target.value as Device["on_jump"] })}
        >
          <option value="jump">{t("messages.jumps")}</option>
          <option value="run_on">{t("messages.runsOn")}</option>
        </select>
      </Labelled>
    </>
  );
}

const FPS = { "24": "film", "25": "twentyFive", "29.97df": "dropFrame", "30": "thirty" } as const;

function PortChoice({ device, line, put }: PartProps) {
  const { t } = useTranslation();
  const outs = line.ports.filter((p) => p.out && p.kind !== "gone" && p.kind !== "page").map((p) => p.name);
  const names = device.port && !outs.includes(device.port) ? [device.port, ...outs] : outs;
  return (
    <Labelled label={t("messages.port")}>
      <select className="field" value={device.port} onChange={(e) => void put({ port: e.target.value })}>
        <option value="">{t("messages.noPort")}</option>
        {names.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
    </Labelled>
  );
}

function MidiFacts({ device, line, put }: PartProps) {
  const { t } = useTranslation();
  return (
    <>
      <PortChoice device={device} line={line} put={put} />
      <Labelled label={t("messages.channel")}>
        <select
          className="field"
          value={device.channel}
          onChange={(e) => void put({ channel: Number(e.target.value) })}
        >
          {Array.from({ length: 16 }, (_, i) => (
            <option key={i}>{i + 1}</option>
          ))}
        </select>
      </Labelled>
      <Tick label={t("messages.clock")} checked={device.clock} onChange={(clock) => void put({ clock })} />
    </>
  );
}

interface NamedProps extends Omit<PartProps, "put"> {
  keep: (change: (now: Device["messages"]) => Device["messages"]) => Promise<boolean>;
}

/** The messages that a device has by a name: typed, learnt from it, or read from a list. */
function NamedMessages({ device, line, keep }: NamedProps) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const change = useDevicesChange();
  const add = (send: Device["messages"][number]["send"]) =>
    keep((now) => [...now, { id: newId(), name: freeName(now, t("messages.newName")), send }]);
  const read = (files: FileList | null) =>
    void files?.[0]
      ?.text()
      .then((list) => change.mutateAsync({ list, of: device.id }))
      .catch(complain);
  return (
    <section aria-label={t("messages.named")} className="mt-4">
      <h3 className="mb-1 font-[650]">{t("messages.named")}</h3>
      <ul className="flex flex-col gap-2">
        {device.messages.map((one) => (
          <NamedRow
            key={one.id}
            one={one}
            put={(next) => keep((now) => now.map((m) => (m.id === one.id ? next : m)))}
            takeOut={() => void keep((now) => now.filter((m) => m.id !== one.id))}
          />
        ))}
      </ul>
      <div className="mt-2 flex flex-wrap items-center gap-2">
        {KINDS_OF[device.kind].map((kind) => (
          <button key={kind} type="button" className="btn" onClick={() => void add(begun(kind))}>
            {t(`messages.add.${kind}`)}
          </button>
        ))}
        <Learn device={device} line={line} add={add} />
        <FilePicker label={t("messages.readList")} accept=".csv,.txt" onFiles={read}>
          {t("messages.readList")}
        </FilePicker>
      </div>
    </section>
  );
}

function freeName(messages: Device["messages"], name: string): string {
  const taken = new Set(messages.map((m) => m.name));
  let number = messages.length + 1;
  while (taken.has(`${name} ${number}`)) number += 1;
  return `${name} ${number}`;
}

type One = Device["messages"][number];

function NamedRow({ one, put, takeOut }: { one: One; put: (one: One) => Promise<boolean>; takeOut: () => void }) {
  const { t } = useTranslation();
  return (
    <li className="grid grid-cols-[180px_1fr_auto] items-end gap-2">
      <Labelled label={t(`messages.kind.${one.send.kind}`)}>
        <Typed
          value={one.name}
          maxLength={LENGTHS.NAME}
          aria-label={t("messages.nameOf", { what: wordsOf(one.send, one.name, t) })}
          onDone={(name) => put({ ...one, name })}
        />
      </Labelled>
      <span className="grid grid-cols-3 gap-2">
        <Numbers send={one.send} onChange={(send) => void put({ ...one, send })} />
      </span>
      <IconButton label={t("messages.takeNameOut", { name: one.name })} icon={X} onClick={takeOut} />
    </li>
  );
}

/** Waits for the device to be pressed: what it sends becomes a message of it. */
function Learn({
  device,
  line,
  add,
}: {
  device: Device;
  line: DeviceLine;
  add: (send: One["send"]) => Promise<boolean>;
}) {
  const { t } = useTranslation();
  const [waiting, setWaiting] = useState(false);
  const before = useRef(line.heard);
  const heard = line.heard;
  useEffect(() => {
    if (!waiting || !heard || heard === before.current || heard.control.port !== device.port) return;
    const send = learnt(heard);
    if (!send) return;
    setWaiting(false);
    void add(send);
  }, [waiting, heard, device.port, add]);
  if (device.kind !== "midi") return null;
  return (
    <button
      type="button"
      className="btn"
      aria-pressed={waiting}
      onClick={() => {
        before.current = line.heard;
        setWaiting(!waiting);
      }}
    >
      {t(waiting ? "messages.learning" : "messages.learn")}
    </button>
  );
}
