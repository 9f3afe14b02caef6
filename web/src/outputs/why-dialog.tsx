import { useState } from "react";
import { useTranslation } from "react-i18next";

import { useWhy } from "@/api/outputs";
import { useSetlists, useShows, useSong } from "@/api/queries";
import type { Feed, Rig, Show, Song } from "@/api/types";
import { Dialog } from "@/ui/dialog";
import { Labelled } from "@/ui/form";
import { Trouble } from "@/ui/states";

import { useMend } from "./use-mend";
import { AllHeard, OneWay, SocketField, SourceField } from "@/shows/way";

interface Props {
  rig: Rig;
  feeds: Feed[];
  first?: AskedOf;
  onClose: () => void;
}

/** What it was asked of, and at which socket. */
export interface AskedOf {
  of?: string;
  socket?: number;
}

/** Why a source is heard at a socket, or not; or what it is that is heard there. */
export function WhyDialog({ rig, feeds, first, onClose }: Props) {
  const { t } = useTranslation();
  const shows = useShows();
  const show = shows.data?.find((s) => s.rig === rig.id) ?? shows.data?.[0];
  return (
    <Dialog
      open
      wide
      onOpenChange={(open) => !open && onClose()}
      title={t("outputs.why.title")}
      about={t("outputs.why.about")}
    >
      {show ? <Asked show={show} rig={rig} feeds={feeds} first={first ?? {}} /> : <p>{t("outputs.why.noShow")}</p>}
      <div className="mt-5 flex justify-end">
        <button type="button" className="btn pri" onClick={onClose}>
          {t("common.done")}
        </button>
      </div>
    </Dialog>
  );
}

/** The socket that a feed leaves by; the first one where it leaves by none. */
const wiredTo = (rig: Rig, of = "") =>
  (rig.patches.find((p) => `feed:${p.feed}` === of)?.socket ?? rig.sockets[0]?.number) || 1;

interface AskedProps {
  show: Show;
  rig: Rig;
  feeds: Feed[];
  first: AskedOf;
}

function Asked({ show, rig, feeds, first }: AskedProps) {
  const { t } = useTranslation();
  const setlists = useSetlists();
  const [asked, setAsked] = useState({
    of: first.of ?? "",
    socket: first.socket ?? wiredTo(rig, first.of),
    entry: 1,
    bar: 1,
  });
  const ask = (part: Partial<typeof asked>) => setAsked({ ...asked, ...part });
  const entries = setlists.data?.find((s) => s.id === show.setlist)?.entries.filter((e) => e.song) ?? [];
  const song = useSong(entries[asked.entry - 1]?.song ?? "").data;
  const bars = song?.bars ?? 1;
  return (
    <>
      <div className="grid grid-cols-[1.3fr_1fr_1.4fr_0.5fr] gap-3">
        <SourceField stems={song?.stems ?? []} feeds={feeds} of={asked.of} change={(of) => ask({ of })} />
        <SocketField sockets={rig.sockets} socket={asked.socket} change={(socket) => ask({ socket })} />
        <Labelled label={t("outputs.why.entry")}>
          <select
            className="field"
            value={asked.entry}
            onChange={(e) => ask({ entry: Number(e.target.value), bar: 1, of: "" })}
          >
            {entries.map((e, i) => (
              <option key={e.id} value={i + 1}>
                {`${i + 1}. ${e.title}`}
              </option>
            ))}
          </select>
        </Labelled>
        <Labelled label={t("outputs.why.bar")}>
          <input
            className="field"
            type="number"
            min={1}
            max={bars}
            value={asked.bar}
            onChange={(e) => ask({ bar: Math.min(bars, Math.max(1, Number(e.target.value) || 1)) })}
          />
        </Labelled>
      </div>
      <Answer show={show} rig={rig} feeds={feeds} song={song} asked={asked} />
    </>
  );
}

interface AnswerProps extends Omit<AskedProps, "first"> {
  song: Song | undefined;
  asked: { of: string; socket: number; entry: number; bar: number };
}

function Answer({ show, asked, ...around }: AnswerProps) {
  const { t } = useTranslation();
  const why = useWhy(show.id, asked);
  const mendOf = useMend({ ...around, again: () => void why.refetch() });
  if (why.error) return <Trouble error={why.error} again={() => void why.refetch()} />;
  if (!why.data) return <p className="small mt-4">{t("common.reading")}</p>;
  const { found } = why.data;
  const one = found.find((w) => w.source === asked.of);
  if (asked.of) return one ? <OneWay why={one} mend={mendOf(one)} /> : null;
  return <AllHeard found={found} />;
}
