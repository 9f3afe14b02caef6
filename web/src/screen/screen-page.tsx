import { Maximize } from "lucide-react";
import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { useSearchParams } from "react-router";

import { Join } from "@/band/join";
import { type Band, useBand } from "@/band/use-band";
import { useStagePort } from "@/band/use-stage-port";
import { useAwake } from "@/lib/use-awake";
import { Logo } from "@/ui/mark";
import { Waiting } from "@/ui/states";

import { AudienceScreen, ClockScreen, ConductorScreen, WordsScreen } from "./screens";

const KINDS = ["audience", "words", "conductor", "clock"] as const;
type Kind = (typeof KINDS)[number];
const isKind = (text: string | null): text is Kind => KINDS.some((kind) => kind === text);
const STILL_MS = 2500;

/** A screen for the audience, the singers or the conductor, opened by the code of the show on any machine. */
export function ScreenPage() {
  const port = useStagePort();
  return port === null ? <Waiting /> : <Joined port={port} />;
}

function Joined({ port }: { port: number }) {
  const { t } = useTranslation();
  const band = useBand(port);
  const [query, setQuery] = useSearchParams();
  const kind = query.get("show");
  useAwake(band.joined);
  if (!band.joined && !band.lost) return <Join band={band} title={t("screen.join")} named={t("screen.name")} />;
  if (!isKind(kind)) return <Choice choose={(chosen) => setQuery({ show: chosen }, { replace: true })} />;
  return <Shown band={band} kind={kind} />;
}

/** What the screen is for. */
function Choice({ choose }: { choose: (kind: Kind) => void }) {
  const { t } = useTranslation();
  return (
    <main className="stage flex min-h-full flex-col justify-center gap-4 bg-paper px-6 py-10 text-ink">
      <div className="flex items-center gap-2 text-[18px] font-[750]">
        <Logo /> {t("app.name")}
      </div>
      <h1 className="text-[26px]!">{t("screen.which")}</h1>
      <div className="grid max-w-[820px] grid-cols-2 gap-3">
        {KINDS.map((kind) => (
          <button
            key={kind}
            type="button"
            className="btn min-h-[96px]! flex-col items-start! justify-center! px-5! text-left text-[20px]!"
            onClick={() => choose(kind)}
          >
            {t(`screen.kind.${kind}`)}
            <span className="small font-normal!">{t(`screen.about.${kind}`)}</span>
          </button>
        ))}
      </div>
    </main>
  );
}

/** The screen itself: nothing else on it while nobody moves the pointer. */
function Shown({ band, kind }: { band: Band; kind: Kind }) {
  const { t } = useTranslation();
  const quiet = useQuiet();
  const { show, state } = band;
  const dark = kind === "audience" || kind === "words";
  return (
    <main
      aria-label={t(`screen.kind.${kind}`)}
      className={`stage relative h-full w-full overflow-hidden ${dark ? "bg-black" : "bg-paper"} text-ink ${quiet ? "cursor-none" : ""}`}
    >
      <h1 className="sr-only">{t(`screen.kind.${kind}`)}</h1>
      {kind === "clock" && <ClockScreen />}
      {show && state && kind === "audience" && <AudienceScreen {...{ band, show, state }} />}
      {show && state && kind === "words" && <WordsScreen {...{ band, show, state }} />}
      {show && state && kind === "conductor" && <ConductorScreen {...{ band, show, state }} />}
      {band.lost && kind !== "clock" && !dark && (
        <p role="alert" className="absolute inset-x-0 top-0 bg-clay px-4 py-2 text-paper">
          {t("screen.lost")}
        </p>
      )}
      {!quiet && (
        <button
          type="button"
          className="btn absolute right-4 bottom-4 opacity-80"
          onClick={() => void document.documentElement.requestFullscreen().catch(() => undefined)}
        >
          <Maximize size={16} aria-hidden />
          {t("screen.full")}
        </button>
      )}
    </main>
  );
}

/** Whether pointer and keys have rested for a while. */
function useQuiet(): boolean {
  const [quiet, setQuiet] = useState(false);
  useEffect(() => {
    let timer = window.setTimeout(() => setQuiet(true), STILL_MS);
    const woken = () => {
      clearTimeout(timer);
      setQuiet(false);
      timer = window.setTimeout(() => setQuiet(true), STILL_MS);
    };
    window.addEventListener("pointermove", woken);
    window.addEventListener("keydown", woken);
    return () => {
      clearTimeout(timer);
      window.removeEventListener("pointermove", woken);
      window.removeEventListener("keydown", woken);
    };
  }, []);
  return quiet;
}
