import { useMutation } from "@tanstack/react-query";
import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import { api } from "@/api/client";
import { useShows } from "@/api/queries";
import { useNotices } from "@/ui/notices";

/** Nothing to play yet: the shows that could be, or why the engine cannot. */
export function NoShow({ status }: { status: "silent" | "lost" | "empty" | "other" }) {
  const { t } = useTranslation();
  const { complain } = useNotices();
  const shows = useShows();
  const load = useMutation({ mutationFn: (id: string) => api(`shows/${id}/load/`, "POST"), onError: complain });
  return (
    <main className="mx-auto flex w-full max-w-[560px] flex-col gap-4 px-6 py-16">
      <h2 className="text-[28px]! text-ink! [font-stretch:80%]!">{t(`stage.none.${status}`)}</h2>
      <p className="text-[15px] text-soft">{t(`stage.noneAbout.${status}`)}</p>
      {status !== "silent" && status !== "lost" && (
        <>
          <ul className="flex flex-col gap-2">
            {shows.data?.map((show) => (
              <li key={show.id}>
                <button
                  type="button"
                  className="btn min-h-[64px]! w-full justify-between! text-[17px]"
                  disabled={load.isPending}
                  onClick={() => load.mutate(show.id)}
                >
                  <span className="font-[650]">{show.title}</span>
                  <span className="small">{show.rig_name}</span>
                </button>
              </li>
            ))}
          </ul>
          {load.isPending && (
            <p role="status" className="text-soft">
              {t("show.loading")}
            </p>
          )}
          <Link to="/setlists" className="btn min-h-[56px]! self-start">
            {t("stage.toSetlists")}
          </Link>
        </>
      )}
    </main>
  );
}
