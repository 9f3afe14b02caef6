import { useState } from "react";

import { useHandsLine } from "@/api/use-hands-line";
import type { Device, DeviceNow, HandsNow, SignalShown } from "@/api/types";
import { useNotices } from "@/ui/notices";

import type { Says } from "./says";

/** What is known of devices now: the ports of the machine, how those of the loaded show are, what was heard last. */
export interface DeviceLine {
  ports: HandsNow["ports"];
  devices: DeviceNow[];
  heard: SignalShown | null;
}

/** The line to the ports, for devices. */
export function useDeviceLine(port: number | undefined): DeviceLine {
  const { say } = useNotices();
  const [now, setNow] = useState<HandsNow | null>(null);
  const [devices, setDevices] = useState<DeviceNow[]>([]);
  const [heard, setHeard] = useState<SignalShown | null>(null);
  useHandsLine(port, { onNow: setNow, onDevices: setDevices, onSignal: setHeard, onProblem: say });
  return { ports: now?.ports ?? [], devices, heard };
}

/** How a device is: by the show that is loaded, else by the ports of the machine; nothing where that is not known. */
export function stateOf(device: Device, line: DeviceLine): { there: boolean; late: number | null } | null {
  const loaded = line.devices.find((d) => d.id === device.id);
  if (loaded) return { there: loaded.there, late: loaded.late_ms };
  if (device.kind === "osc" || line.ports.length === 0) return null;
  return { there: line.ports.some((p) => p.name === device.port && p.out && p.kind !== "gone"), late: null };
}

/** The message that a device sent by itself; nothing for what is none. */
export function learnt({ control, value, down }: SignalShown): Says | null {
  if (control.kind === "program") return { kind: "program", program: control.number + 1, bank: null };
  if (control.kind === "controller") return { kind: "controller", controller: control.number, value, over_beats: null };
  if (control.kind === "note" && down) return { kind: "note", note: control.number, velocity: value, beats: 1 };
  return null;
}
