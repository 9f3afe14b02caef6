import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useMessages } from "@/api/devices";
import type { Edit } from "@/api/edits";
import { useMe } from "@/api/queries";
import type { Song, SongMessages } from "@/api/types";
import type { Places } from "@/hear/places";
import { Tick } from "@/ui/form";
import { Trouble, Waiting } from "@/ui/states";

import { DeviceDialog } from "./device-dialog";
import { DeviceList } from "./device-list";
import { Lanes } from "./lanes";
import { OnScreens } from "./on-screens";
import { type Cell, inCell, START } from "./places";
import { useSentWhileHeard } from "./sent-while-heard";
import { CellSide } from "./cell-side";
import { useDeviceLine } from "./use-device-line";

interface Props {
  song: Song;
  form: string;
  edit: Edit;
  /** Where the song is, while it is heard in this page. */
  places: Places;
}

/** What a song sends to keyboards, lights and films: lanes by device above its bars. */
export function MessagesView(props: Props) {
  const found = useMessages(props.song);
  const me = useMe();
  if (found.error) return <Trouble error={found.error} again={() => void found.refetch()} />;
  if (!found.data) return <Waiting />;
  return <View {...props} found={found.data} port={me.data?.stage_port} />;
}

interface ViewProps extends Props {
  found: SongMessages;
  port: number | undefined;
}

function View({ song, form, edit, found, port, places }: ViewProps) {
  const { t } = useTranslation();
  const [chosen, setCell] = useState<Cell | null>(null);
  const [open, setOpen] = useState<string | null>(null);
  const line = useDeviceLine(port);
  const devices = found.devices;
  const laned = withLanes(found);
  const first = laned.devices[0];
  const cell = chosen && devices.some((d) => d.id === chosen.device) ? chosen : null;
  return (
    <div className="grid min-h-0 grow grid-cols-[minmax(0,1fr)_320px]">
      <div className="flex min-h-0 min-w-0 flex-col gap-1 px-5 pb-3">
        <p id="messages-help" className="small">
          {t("messages.help")}
        </p>
        {first ? (
          <Lanes song={song} found={laned} cell={cell} choose={setCell} />
        ) : (
          <p className="panel mt-2 px-3 py-2">{t("messages.noDevices")}</p>
        )}
        <Lost found={found} edit={edit} />
      </div>
      <aside
        aria-label={t("messages.side")}
        className="flex min-h-0 flex-col gap-4 overflow-auto border-l border-line bg-sheet px-4 py-[14px]"
      >
        {cell && (
          <CellSide
            key={`${cell.device} ${cell.group} ${cell.bar}`}
            {...{ song, form, edit, found, cell }}
            there={inCell(found.messages, cell)}
          />
        )}
        {!cell && first && (
          <Begin choose={() => setCell({ device: first.id, group: song.sections[0]?.id ?? START, bar: 0 })} />
        )}
        <WhileHeard song={song} found={found} places={places} />
        <OnScreens song={song} edit={edit} />
        <DeviceList devices={devices} line={line} open={setOpen} />
      </aside>
      {open !== null && (
        <DeviceDialog device={devices.find((d) => d.id === open)} line={line} onClose={() => setOpen(null)} />
      )}
    </div>
  );
}

/** Whether devices are sent to while the song is heard in this page. */
function WhileHeard({ song, found, places }: Pick<ViewProps, "song" | "found" | "places">) {
  const { t } = useTranslation();
  const [on, setOn] = useState(false);
  useSentWhileHeard(places, song, found, on);
  return <Tick label={t("messages.whileHeard")} checked={on} onChange={setOn} />;
}

function Begin({ choose }: { choose: () => void }) {
  const { t } = useTranslation();
  return (
    <button type="button" className="btn" onClick={choose}>
      {t("messages.begin")}
    </button>
  );
}

/** The devices that get messages: timecode goes where the song goes by itself. */
const withLanes = (found: SongMessages): SongMessages => ({
  ...found,
  devices: found.devices.filter((d) => d.kind !== "timecode"),
});

/** Messages that are not sent, since what they need is gone. */
function Lost({ found, edit }: { found: SongMessages; edit: Edit }) {
  const { t } = useTranslation();
  const lost = found.messages.filter((m) => m.lost);
  if (lost.length === 0) return null;
  return (
    <p className="flex items-center gap-3 border-l-4 border-l-clay bg-claybg px-3 py-1.5">
      <span className="grow">{t("messages.lost", { count: lost.length })}</span>
      <button
        type="button"
        className="btn"
        onClick={() => void edit("remove_messages", { messages: lost.map((m) => m.message.id) })}
      >
        {t("messages.takeOut")}
      </button>
    </p>
  );
}
