import { useState } from "react";
import { useTranslation } from "react-i18next";

import type { DeviceNow } from "@/api/types";
import { signed } from "@/lib/format";
import { Dialog } from "@/ui/dialog";

interface Props {
  devices: DeviceNow[];
}

/** Whether every device is there that gets messages; what was sent is told when it is pressed. */
export function DevicesWord({ devices }: Props) {
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
              <Device key={device.id} device={device} />
            ))}
          </ul>
        </Dialog>
      )}
    </>
  );
}

/** A device: how it is, and what it was sent last. */
function Device({ device }: { device: DeviceNow }) {
  const { t } = useTranslation();
  return (
    <li className="border-t border-line pt-2">
      <div className="flex items-baseline gap-3">
        <h3 className="font-[650]">{device.name}</h3>
        <span className={device.there ? "text-soft" : "text-clay"}>
          {device.there ? t("messages.there") : device.why}
        </span>
        <span className="grow" />
        <span className="small">
          {[
            t("stage.devices.sent", { count: device.sent }),
            device.late_ms === null ? "" : t("stage.devices.late", { ms: signed(device.late_ms) }),
            device.dropped ? t("stage.devices.dropped", { count: device.dropped }) : "",
          ]
            .filter(Boolean)
            .join(" · ")}
        </span>
      </div>
      <ol aria-label={t("stage.devices.last", { name: device.name })}>
        {device.last.slice(0, 4).map((one, i) => (
          <li key={i} className="flex gap-3">
            <span className="w-[200px] truncate">{one.name || t(`messages.kind.${one.message as "note"}`)}</span>
            <span className="small grow truncate">{one.data}</span>
            <span className="small">{t("stage.devices.late", { ms: signed(one.late_ms) })}</span>
          </li>
        ))}
      </ol>
    </li>
  );
}
