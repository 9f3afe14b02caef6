import { useCallback, useEffect, useState } from "react";

import { useTonight } from "@/api/queries";
import type { Song } from "@/api/types";
import type { PageEars } from "@/hear/use-ears";
import type { ChosenLineUp } from "@/people/line-up";
import type { Edit } from "@/api/edits";
import { HandSounds } from "@/sounds/hand-sounds";

import { Edges } from "./edges";
import { HouseLevel } from "./house-level";
import { StartingPoints } from "./starting-points";
import { StemLevels } from "./stem-levels";

interface Props {
  song: Song;
  form: string;
  edit: Edit;
  ears: PageEars;
  lineUp: ChosenLineUp;
  /** Alone and silent while listening: the page's, so that its own play button knows of them. */
  apart: { solo: string[]; mute: string[] };
  setApart: (apart: { solo: string[]; mute: string[] }) => void;
}

/** How loud it all is: the song in the house, its stems, its ends. */
export function LevelsView({ song, form, edit, ears, lineUp, apart, setApart }: Props) {
  const tonight = useTonight(song, lineUp.id);
  const [now, setNow] = useState(apart);
  const toggle = useCallback(
    (which: "solo" | "mute", stem: string) =>
      setNow((all) => ({
        ...all,
        [which]: all[which].includes(stem) ? all[which].filter((s) => s !== stem) : [...all[which], stem],
      })),
    [],
  );
  const { apart: tell } = ears;
  useEffect(() => {
    setApart(now);
    tell(now.solo, now.mute);
  }, [now, setApart, tell]);
  return (
    <div className="flex min-h-0 grow flex-col gap-5 overflow-auto px-5 pb-4">
      <HouseLevel song={song} form={form} edit={edit} lineUp={lineUp} />
      <StemLevels song={song} tonight={tonight.data} edit={edit} solo={now.solo} mute={now.mute} toggle={toggle} />
      <Edges song={song} edit={edit} ears={ears} />
      <StartingPoints song={song} edit={edit} />
      <HandSounds song={song} />
    </div>
  );
}
