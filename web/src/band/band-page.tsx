import { useEffect, useState } from "react";
import { useTranslation } from "react-i18next";
import { useSearchParams } from "react-router";

import { api } from "@/api/client";
import { LENGTHS } from "@/generated/core";
import { Remote } from "@/stage/remote";
import { clock } from "@/lib/format";
import { Logo } from "@/ui/mark";
import { Waiting } from "@/ui/states";

import { BandView } from "./band-view";
import { type Band, lastName, useBand } from "./use-band";
import { useKept } from "./use-kept";

const PORT = "band-port";
const BRIGHT = "band-bright";

/** The page of a phone that joins a show, without an account. */
export function BandPage() {
  const port = useStagePort();
  return port === null ? <Waiting /> : <Joined port={port} />;
}

/** Where the stage's server listens; as it was last where the web server does not answer. */
function useStagePort(): number | null {
  const [port, setPort] = useState<number | null>(() => Number(localStorage.getItem(PORT)) || null);
  useEffect(() => {
    void api<{ stage_port: number }>("join/")
      .then(({ stage_port }) => {
        localStorage.setItem(PORT, String(stage_port));
        setPort(stage_port);
      })
      .catch(() => undefined);
  }, []);
  return port;
}

function Joined({ port }: { port: number }) {
  const { t } = useTranslation();
  const band = useBand(port);
  const [bright, setBright] = useKept(BRIGHT);
  useAwake(band.joined);
  useEffect(() => {
    document.body.classList.toggle("stage", !bright);
    return () => document.body.classList.remove("stage");
  }, [bright]);
  if (band.phone?.right === "everything" && band.token) return <Remote port={port} phone={band.token} />;
  if (!band.joined) return <Join band={band} />;
  return (
    <div className={`${bright ? "" : "stage"} relative flex min-h-full flex-col bg-paper text-ink`}>
      {band.lost && (
        <p role="alert" className="bg-clay px-4 py-2 text-[17px] font-[650] text-paper">
          {t("band.lost", { time: clock(band.lost) })}
        </p>
      )}
      {band.show && band.state ? (
        <BandView {...{ band, bright, setBright }} show={band.show} state={band.state} />
      ) : (
        <Waiting />
      )}
    </div>
  );
}

/** The code of the show and a name: nothing else is asked. */
function Join({ band }: { band: Band }) {
  const { t } = useTranslation();
  const [query] = useSearchParams();
  const [code, setCode] = useState(query.get("code") ?? "");
  const [name, setName] = useState(lastName);
  return (
    <main className="stage flex min-h-full flex-col justify-center gap-5 bg-paper px-6 py-10 text-ink">
      <div className="flex items-center gap-2 text-[18px] font-[750]">
        <Logo /> {t("app.name")}
      </div>
      <h1 className="text-[26px]!">{t("band.join")}</h1>
      <form
        className="flex max-w-[420px] flex-col gap-4"
        onSubmit={(e) => {
          e.preventDefault();
          band.join({ code, name });
        }}
      >
        <label className="flex flex-col gap-1">
          {t("band.code")}
          <input
            className="field min-h-[56px]! text-[28px]! font-[700] tracking-[0.2em] uppercase"
            value={code}
            maxLength={6}
            autoComplete="off"
            autoCapitalize="characters"
            spellCheck={false}
            required
            onChange={(e) => setCode(e.target.value)}
          />
        </label>
        <label className="flex flex-col gap-1">
          {t("band.name")}
          <input
            className="field min-h-[48px]! text-[18px]!"
            value={name}
            maxLength={Math.min(40, LENGTHS.NAME)}
            onChange={(e) => setName(e.target.value)}
          />
        </label>
        <RefusedWord refused={band.refused} />
        <button type="submit" className="btn pri min-h-[56px]! text-[18px]!">
          {t("band.go")}
        </button>
      </form>
    </main>
  );
}

/** Why the phone is not in. */
function RefusedWord({ refused }: { refused: string }) {
  const { t } = useTranslation();
  if (!refused) return null;
  return (
    <p role="alert" className="bg-claybg px-3 py-2 text-clay">
      {refused === "out" ? t("band.out") : refused}
    </p>
  );
}

/** Keeps the screen lit where the browser can. */
function useAwake(on: boolean) {
  useEffect(() => {
    if (!on || !("wakeLock" in navigator)) return;
    let lock: WakeLockSentinel | undefined;
    const ask = () => {
      if (document.visibilityState === "visible")
        void navigator.wakeLock
          .request("screen")
          .then((got) => (lock = got))
          .catch(() => undefined);
    };
    ask();
    document.addEventListener("visibilitychange", ask);
    return () => {
      document.removeEventListener("visibilitychange", ask);
      void lock?.release();
    };
  }, [on]);
}
