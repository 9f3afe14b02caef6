import type { TFunction } from "i18next";
import { Redo2, Undo2 } from "lucide-react";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import { useDevices, useDevicesChange } from "@/api/devices";
import type { Device } from "@/api/types";
import { signed } from "@/lib/format";
import { IconButton } from "@/ui/icon-button";
import { useNotices } from "@/ui/notices";

import { type DeviceLine, stateOf } from "./use-device-line";

interface Props {
  devices: Device[];
  line: DeviceLine;
  /** Opens a device by its id, or a new one by none. */
  open: (device: string) => void;
}

/** Every device of the band: what it is, and whether it is there. */
export function DeviceList({ devices, line, open }: Props) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const known = useDevices();
  const change = useDevicesChange();
  const travel = (way: "undo" | "redo") => change.mutate({ travel: way }, { onError: complain });
  return (
    <section aria-label={t("messages.devices")} className="flex flex-col gap-1">
      <div className="flex items-center gap-1">
        <h2 className="grow">{t("messages.devices")}</h2>
        <IconButton
          label={t("messages.undoDevices")}
          icon={Undo2}
          disabled={!known.data?.can_undo}
          onClick={() => travel("undo")}
        />
        <IconButton
          label={t("messages.redoDevices")}
          icon={Redo2}
          disabled={!known.data?.can_redo}
          onClick={() => travel("redo")}
        />
      </div>
      <ul>
        {devices.map((device) => (
          <DeviceRow key={device.id} device={device} line={line} open={open} />
        ))}
      </ul>
      <button type="button" className="btn mt-1" onClick={() => open("")}>
        {t("messages.addDevice")}
      </button>
      <Link to="/stand-ins" className="small mt-1 underline">
        {t("messages.standIns")}
      </Link>
    </section>
  );
}

function DeviceRow({ device, line, open }: { device: Device } & Pick<Props, "line" | "open">) {
  const { t } = useTranslation();
  return (
    <li className="flex items-start gap-2 border-b border-line2 py-[5px]">
      <span className="min-w-0 grow">
        <span className="block truncate font-[600]">{device.name}</span>
        <span className="small block truncate">{whereOf(device, t)}</span>
        {device.socket === null && <DeviceState device={device} line={line} />}
      </span>
      <button
        type="button"
        className="btn bare flex-none"
        aria-label={t("messages.openDevice", { name: device.name })}
        onClick={() => open(device.id)}
      >
        {t("messages.open")}
      </button>
    </li>
  );
}

function whereOf(device: Device, t: TFunction): string {
  if (device.kind === "osc")
    return device.host ? t("messages.osc", { host: device.host, port: device.udp_port ?? "?" }) : t("messages.noHost");
  if (device.socket !== null) return t("messages.timecodeAt", { socket: device.socket, fps: device.fps });
  if (device.kind === "timecode" && device.port) return t("messages.timecode", { port: device.port, fps: device.fps });
  return device.port ? t("messages.midi", { port: device.port, channel: device.channel }) : t("messages.noPort");
}

function DeviceState({ device, line }: { device: Device; line: DeviceLine }) {
  const { t } = useTranslation();
  const state = stateOf(device, line);
  if (!state) return null;
  if (!state.there) return <span className="small block text-clay">{t("messages.notThere")}</span>;
  return (
    <span className="small block">
      {state.late === null ? t("messages.there") : t("messages.thereLate", { ms: signed(state.late) })}
    </span>
  );
}
