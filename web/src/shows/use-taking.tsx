import { useMutation } from "@tanstack/react-query";
import { useState } from "react";
import { useTranslation } from "react-i18next";

import { api, Refused } from "@/api/client";
import { Confirm } from "@/ui/dialog";
import { useNotices } from "@/ui/notices";

/** What taking a show to the stage would take away there. */
const LOSSES = ["stage-taken", "stage-other-show", "stage-place"] as const;
type Loss = (typeof LOSSES)[number];

interface Asked {
  show: string;
  about: string;
}

/** Taking a show to the stage: asks first where another show, or a place in this one, is lost by it. */
export function useTaking(onTaken?: () => void) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const [asked, setAsked] = useState<Asked | null>(null);
  const load = useMutation({
    mutationFn: ({ show, sure }: { show: string; sure: boolean }) => api(`shows/${show}/load/`, "POST", { sure }),
    onSuccess: onTaken,
    onError: (error, { show }) => {
      const loss = lossIn(error);
      if (!loss) return complain(error);
      setAsked({ show, about: `${error.message} ${t(`stage.taking.${loss}`)}` });
    },
  });
  const question = asked && (
    <Confirm
      open
      onOpenChange={(open) => !open && setAsked(null)}
      title={t("stage.taking.title")}
      about={asked.about}
      yes={t("stage.taking.yes")}
      onYes={() => load.mutate({ show: asked.show, sure: true })}
    />
  );
  return { take: (show: string) => load.mutate({ show, sure: false }), busy: load.isPending, question };
}

function lossIn(error: Error): Loss | undefined {
  const codes = error instanceof Refused ? error.problems.map((p) => p.code) : [];
  return LOSSES.find((loss) => codes.includes(loss));
}
