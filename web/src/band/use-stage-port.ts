import { useEffect, useState } from "react";

import { api } from "@/api/client";

const PORT = "band-port";

/** Where the stage's server listens; as it was last where the web server does not answer. */
export function useStagePort(): number | null {
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
