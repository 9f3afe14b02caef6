import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";

import type { BandShow, BandState } from "@/api/types";
import { beatNow, isMoving, ofPicture } from "@/band/beat-now";
import type { Band } from "@/band/use-band";
import { ChasedFilm } from "@/lib/chased-film";
import { BeatDot } from "@/stage/beat-dot";
import { RehearsalMark } from "@/ui/mark";

import { useFilesAhead, useScreenFile } from "./files";
import { linesAt, songSeconds, stillAt } from "./song-now";

interface Props {
  band: Band;
  show: BandShow;
  state: BandState;
}

/** Draws anew with every picture while anything moves. */
function useTurns(moving: boolean) {
  const [, turn] = useState(0);
  useEffect(() => {
    if (!moving) return;
    let frame = requestAnimationFrame(function draw() {
      turn((n) => n + 1);
      frame = requestAnimationFrame(draw);
    });
    return () => cancelAnimationFrame(frame);
  }, [moving]);
}

/** What the audience sees: film, picture or words, as the entry says; black where nothing plays. */
export function AudienceScreen(props: Props) {
  const { band, show, state } = props;
  const entry = show.entries[state.entry];
  useFilesAhead(show, state.entry, band.token ?? "");
  if (!entry || !isMoving(state)) return <Black />;
  switch (entry.screen.shows) {
    case "film":
      return <FilmScreen {...props} />;
    case "stills":
      return <StillScreen {...props} />;
    case "words":
      return <WordsScreen {...props} />;
    case "black":
      return <Black />;
  }
}

const Black = () => {
  const { t } = useTranslation();
  return <p className="sr-only">{t("screen.black")}</p>;
};

function FilmScreen({ band, show, state }: Props) {
  const { t } = useTranslation();
  const entry = show.entries[state.entry];
  const film = entry?.screen.film;
  const address = useScreenFile(film?.file, band.token ?? "");
  if (!entry || !film || !address) return <Black />;
  const wanted = (at: number) => {
    const now = band.line?.now();
    if (now === undefined || !isMoving(state)) return null;
    return (songSeconds(state, now + at - performance.now()) - film.starts_s) * film.rate;
  };
  return (
    <ChasedFilm
      key={address}
      address={address}
      fps={film.fps}
      rate={film.rate}
      wanted={wanted}
      label={t("screen.filmOf", { title: entry.title })}
      className="h-full w-full object-contain"
    />
  );
}

function StillScreen({ band, show, state }: Props) {
  const { t } = useTranslation();
  useTurns(isMoving(state));
  const entry = show.entries[state.entry];
  const still = entry && !state.counting ? stillAt(entry, state, songSeconds(state, band.line?.now())) : null;
  const address = useScreenFile(still, band.token ?? "");
  if (!entry || !still || !address) return <Black />;
  return (
    <img src={address} alt={t("screen.pictureOf", { title: entry.title })} className="h-full w-full object-contain" />
  );
}

/** The words, line by line, with the next line. */
export function WordsScreen({ band, show, state }: Props) {
  const { t } = useTranslation();
  useTurns(isMoving(state));
  const entry = show.entries[state.entry];
  if (!entry || !isMoving(state)) return <Black />;
  const { now, next } = linesAt(entry, state, songSeconds(state, band.line?.now()));
  return (
    <div className="flex h-full flex-col justify-center gap-[5vh] px-[6vw] text-center text-balance">
      <p aria-live="off" className="min-h-[1.2em] text-[8.5vmin] leading-[1.15] font-[700] text-white">
        {now}
      </p>
      <p className="min-h-[1.2em] text-[5.5vmin] leading-[1.2] text-[#a9b5ae]">
        <span className="sr-only">{t("screen.next")}</span>
        {next}
      </p>
    </div>
  );
}

/** For who conducts: the mark of the section, bar and beat. */
export function ConductorScreen({ band, show, state }: Props) {
  const { t } = useTranslation();
  useTurns(isMoving(state));
  const entry = show.entries[state.entry];
  const step = entry?.steps[state.step];
  if (!entry || !step) return <Black />;
  const at = beatNow(state, ofPicture(band.line?.now()));
  return (
    <div className="grid h-full grid-rows-[auto_1fr_auto] gap-4 px-[4vw] py-[4vh]">
      <p className="flex items-center gap-5 text-[5vmin]">
        <RehearsalMark mark={step.mark} colour={step.colour} className="h-[10vmin]! w-[10vmin]! text-[7vmin]!" />
        <span className="font-[650]">{step.name}</span>
        <span className="grow" />
        <span className="text-soft">{entry.title}</span>
      </p>
      <div className="flex items-center justify-center gap-[8vw]">
        <div>
          <p className="text-[4vmin] text-soft">{t("screen.bar")}</p>
          <p className="text-[34vmin] leading-none font-[700] tabular-nums [font-stretch:75%]">{at.bar}</p>
        </div>
        <div>
          <p className="text-[4vmin] text-soft">{t("screen.beat")}</p>
          <p className="text-[34vmin] leading-none font-[700] tabular-nums [font-stretch:75%]">{at.beat}</p>
        </div>
        <div className="w-[36vmin] [&_svg]:h-full [&_svg]:w-full!">
          <BeatDot beats={state.beats} beat={at.beat} phase={at.phase} quiet={!isMoving(state)} />
        </div>
      </div>
      <p className="text-[4.5vmin] text-soft">{coming(entry, state, t("screen.theEnd"), t("screen.then"))}</p>
    </div>
  );
}

function coming(entry: BandShow["entries"][number], state: BandState, end: string, then: string): string {
  if (!state.coming) return "";
  const step = state.coming.step === null ? undefined : entry.steps[state.coming.step];
  return `${then} ${step ? `${step.mark} ${step.name}` : end}`;
}

/** The time of day. */
export function ClockScreen() {
  const [now, setNow] = useState(() => new Date());
  useEffect(() => {
    const timer = window.setInterval(() => setNow(new Date()), 200);
    return () => clearInterval(timer);
  }, []);
  const time = now.toLocaleTimeString("en-GB");
  return (
    <div className="flex h-full items-center justify-center">
      <time dateTime={time} className="text-[22vw] leading-none font-[650] tabular-nums [font-stretch:75%]">
        {time}
      </time>
    </div>
  );
}
