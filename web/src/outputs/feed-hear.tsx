import { Play, Square } from "lucide-react";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

import { useSongs } from "@/api/queries";
import type { Feed } from "@/api/types";
import { useEars } from "@/hear/use-ears";

/** Hears a song as it leaves on a feed, with its tone and its ceiling as they are now. */
export function FeedHear({ feed }: { feed: Feed }) {
  const { t } = useTranslation();
  const songs = useSongs();
  const ears = useEars();
  const [chosen, setChosen] = useState("");
  const listed = songs.data ?? [];
  const song = chosen || (listed.find((one) => one.stems > 0) ?? listed[0])?.id || "";
  const hearing = ears.state !== "idle";
  const hear = (bar: number) => ears.hear({ song, bar, form: "full", click: false, cues: false, feed: feed.id });
  const settings = JSON.stringify([feed.tone, feed.ceiling_db, feed.gain_db, feed.sends]);
  const heard = useRef(settings);
  useEffect(() => {
    if (heard.current === settings) return;
    heard.current = settings;
    // What was changed is heard from where the song is.
    if (hearing) hear(ears.places.get()?.bar ?? 1);
  });
  if (!listed.length) return null;
  return (
    <div className="mt-3 flex items-center gap-2">
      <button type="button" className="btn" onClick={() => (hearing ? ears.stop() : hear(1))}>
        {hearing ? <Square size={13} aria-hidden /> : <Play size={13} aria-hidden />}
        {hearing ? t("song.stopHearing") : t("tone.hear")}
      </button>
      <select
        className="field min-w-0 grow"
        aria-label={t("tone.hearSong")}
        value={song}
        onChange={(e) => setChosen(e.target.value)}
      >
        {listed.map((one) => (
          <option key={one.id} value={one.id}>
            {one.title}
          </option>
        ))}
      </select>
    </div>
  );
}
