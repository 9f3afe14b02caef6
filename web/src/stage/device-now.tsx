import { ChevronLeft, ChevronRight, CornerDownLeft } from "lucide-react";
import { useTranslation } from "react-i18next";

import type { Press } from "@/api/edits";
import type { Described, DeviceNow as Sent } from "@/api/types";
import { signed } from "@/lib/format";

import type { Playing } from "./engine-state";

export type Ahead = Playing["devices"][number];

interface Props {
  device: Sent;
  ahead: Ahead | undefined;
  named: Described["devices"][number]["messages"];
  press: Press;
}

/** A device: how it is, what it was sent and what comes, its programs and messages by hand. */
export function DeviceNow({ device, ahead, named, press }: Props) {
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
      {(device.last.length > 0 || ahead) && (
        <div className="grid grid-cols-2 gap-4">
          <Was device={device} />
          <Comes name={device.name} ahead={ahead} />
        </div>
      )}
      {ahead && ahead.programs > 0 && <Programs ahead={ahead} press={press} />}
      {named.length > 0 && (
        <div className="mt-2 flex flex-wrap gap-1">
          {named.map((one) => (
            <button
              key={one.id}
              type="button"
              className="btn"
              aria-label={t("stage.devices.send", { name: one.name })}
              onClick={() => press("send", { device: device.id, message: one.id })}
            >
              {one.name}
            </button>
          ))}
        </div>
      )}
    </li>
  );
}

function Was({ device }: { device: Sent }) {
  const { t } = useTranslation();
  return (
    <div>
      <p className="small">{t("stage.devices.was")}</p>
      <ol aria-label={t("stage.devices.last", { name: device.name })}>
        {device.last.slice(0, 3).map((one, i) => (
          <Row key={i} {...one} end={t("stage.devices.late", { ms: signed(one.late_ms) })} />
        ))}
      </ol>
    </div>
  );
}

function Comes({ name, ahead }: { name: string; ahead: Ahead | undefined }) {
  const { t } = useTranslation();
  return (
    <div>
      <p className="small">{t("stage.devices.comes")}</p>
      {ahead?.coming.length ? (
        <ol aria-label={t("stage.devices.comesTo", { name })}>
          {ahead.coming.map((one, i) => (
            <Row key={i} {...one} end={t("stage.devices.atBar", { bar: one.bar })} />
          ))}
        </ol>
      ) : (
        <p>{t("stage.devices.nothingComes")}</p>
      )}
    </div>
  );
}

function Row({ name, message, data, end }: { name: string; message: string; data: string; end: string }) {
  const { t } = useTranslation();
  return (
    <li className="flex items-baseline gap-3">
      <span className="truncate">{name || t(`messages.kind.${message as "note"}`)}</span>
      <span className="small min-w-0 grow truncate">{data}</span>
      <span className="small flex-none">{end}</span>
    </li>
  );
}

/** The programs of the song, stepped through by hand. */
function Programs({ ahead, press }: { ahead: Ahead; press: Press }) {
  const { t } = useTranslation();
  const { device, program: at, programs: of } = ahead;
  const steps = [
    { words: t("stage.devices.before"), Icon: ChevronLeft, onClick: () => press("program", { device, by: -1 }) },
    { words: t("stage.devices.next"), Icon: ChevronRight, onClick: () => press("program", { device, by: 1 }) },
    { words: t("stage.devices.here"), Icon: CornerDownLeft, onClick: () => press("program_here", { device }) },
  ];
  return (
    <div className="mt-2 flex items-center gap-1">
      <span className="mr-2">{t(at ? "stage.devices.programs" : "stage.devices.noProgram", { at, of })}</span>
      {steps.map(({ words, Icon, onClick }) => (
        <button key={words} type="button" className="btn" onClick={onClick}>
          <Icon size={16} aria-hidden />
          {words}
        </button>
      ))}
    </div>
  );
}
