import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { Described, DeviceNow as Sent } from "@/api/types";
import { Dialog } from "@/ui/dialog";

import { DeviceNow } from "./device-now";
import type { Playing } from "./engine-state";

interface Props {
  devices: Sent[];
  show: Described | null;
  state: Playing;
  press: Press;
}

/** Whether every device is there that gets messages; what was sent is told when it is pressed. */
export function DevicesWord({ devices, show, state, press }: Props) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const gone = devices.filter((d) => !d.there);
  const word =
    gone.length === 0
      ? t("stage.devices.all", { count: devices.length })
      : gone[0] && gone.length === 1
        ? t("stage.devices.oneGone", { name: gone[0].name })
        : t("stage.devices.gone", { count: gone.length });
  return (
    <>
      <button
        type="button"
        className={`min-h-[32px] max-w-[220px] truncate px-2 underline decoration-dotted underline-offset-4 ${gone.length ? "font-bold text-clay" : "text-soft"}`}
        onClick={() => setOpen(true)}
      >
        {word}
      </button>
      {open && (
        <Dialog
          open
          wide
          onOpenChange={(now) => !now && setOpen(false)}
          title={t("stage.devices.title")}
          about={t("stage.devices.about")}
        >
          <ul className="flex flex-col gap-3">
            {devices.map((device) => (
              <DeviceNow
                key={device.id}
                device={device}
                ahead={state.devices.find((d) => d.device === device.id)}
                named={show?.devices.find((d) => d.id === device.id)?.messages ?? []}
                press={press}
              />
            ))}
          </ul>
        </Dialog>
      )}
    </>
  );
}
