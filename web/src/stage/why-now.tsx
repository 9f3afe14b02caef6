import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useWhyNow } from "@/api/outputs";
import type { Press, PressName } from "@/api/edits";
import type { Described, EntryShown, Why } from "@/api/types";
import { AllHeard, OneWay, SocketField, SourceField } from "@/shows/way";
import { Dialog } from "@/ui/dialog";
import { Trouble } from "@/ui/states";

import type { Playing } from "./engine-state";

export interface AskedWhy {
  /** A part by its id (`stem:…`, `click`, `cues`, `feed:…`); all that is heard without it. */
  of: string;
  /** A socket by its number; without it the first that carries anything. */
  socket?: number;
}

interface Props {
  show: Described;
  entry: EntryShown;
  state: Playing;
  press: Press;
  first: AskedWhy;
  onClose: () => void;
}

/** Why a source is heard at a socket at this moment, or not, with the levels by hand. */
export function WhyNowDialog({ show, entry, state, press, first, onClose }: Props) {
  const { t } = useTranslation();
  const [asked, setAsked] = useState({ of: first.of, socket: first.socket ?? firstSocket(show) });
  return (
    <Dialog open wide onOpenChange={onClose} title={t("outputs.why.title")} about={t("stage.why.about")}>
      <div className="grid grid-cols-2 gap-3">
        <SourceField stems={entry.stems} feeds={show.feeds} of={asked.of} change={(of) => setAsked({ ...asked, of })} />
        <SocketField sockets={show.sockets} socket={asked.socket} change={(socket) => setAsked({ ...asked, socket })} />
      </div>
      <Answer asked={asked} state={state} press={press} />
    </Dialog>
  );
}

const firstSocket = (show: Described) =>
  (show.sockets.find((s) => s.carries.length > 0) ?? show.sockets[0])?.number ?? 1;

/** What the answer depends on: asked anew as soon as any of it is another. */
const momentOf = ({ position, parts, house_pulled, fallback, away, alone_in_house, loads }: Playing) =>
  JSON.stringify([
    position.entry,
    position.step,
    position.bar,
    parts,
    house_pulled,
    fallback,
    away,
    alone_in_house,
    loads,
  ]);

function Answer({ asked, state, press }: { asked: { of: string; socket: number } } & Pick<Props, "state" | "press">) {
  const { t } = useTranslation();
  const why = useWhyNow(asked, momentOf(state));
  if (why.error) return <Trouble error={why.error} again={() => void why.refetch()} />;
  if (!why.data) return <p className="small mt-4">{t("common.reading")}</p>;
  const { found, title, bar } = why.data;
  const one = found.find((w) => w.source === asked.of);
  return (
    <>
      <p className="small mt-3">{t("stage.why.here", { title, bar })}</p>
      {asked.of ? one && <OneWay why={one} mend={mendOf(one, press)} /> : <AllHeard found={found} />}
      {one?.stopped_by?.mend && one.stopped_by.mend.kind !== "press" && (
        <p className="small mt-2">{t("stage.why.edited")}</p>
      )}
    </>
  );
}

/** The press that lets it through; what has to be edited is mended at the outputs. */
function mendOf({ stopped_by }: Why, press: Press): (() => void) | null {
  const mend = stopped_by?.mend;
  return mend?.kind === "press" ? () => press(mend.name as PressName, mend.args as never) : null;
}
