import { useTranslation } from "react-i18next";
import { Link } from "react-router";

import { useShows } from "@/api/queries";

import { useTaking } from "@/shows/use-taking";

/** Nothing to play yet: the shows that could be, or why the engine cannot. */
export function NoShow({ status }: { status: "silent" | "lost" | "empty" | "other" }) {
  const { t } = useTranslation();
  const shows = useShows();
  const { take, busy, question } = useTaking();
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
                  disabled={busy}
                  onClick={() => take(show.id)}
                >
                  <span className="font-[650]">{show.title}</span>
                  <span className="small">{show.rig_name}</span>
                </button>
              </li>
            ))}
          </ul>
          {question}
          {busy && (
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
