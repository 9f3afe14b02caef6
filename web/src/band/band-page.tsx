import { useEffect } from "react";
import { useTranslation } from "react-i18next";

import { Remote } from "@/stage/remote";
import { clock } from "@/lib/format";
import { useAwake } from "@/lib/use-awake";
import { Waiting } from "@/ui/states";

import { BandView } from "./band-view";
import { Join } from "./join";
import { useBand } from "./use-band";
import { useKept } from "./use-kept";
import { useStagePort } from "./use-stage-port";

const BRIGHT = "band-bright";

/** The page of a phone that joins a show, without an account. */
export function BandPage() {
  const port = useStagePort();
  return port === null ? <Waiting /> : <Joined port={port} />;
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
  if (!band.joined) return <Join band={band} title={t("band.join")} />;
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
