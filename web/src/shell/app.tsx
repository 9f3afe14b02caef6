import { useEffect } from "react";
import { Navigate, Route, Routes, useLocation, useSearchParams } from "react-router";
import { useTranslation } from "react-i18next";

import { Refused } from "@/api/client";
import { useMe } from "@/api/queries";
import type { Me } from "@/api/types";
import { BandPage } from "@/band/band-page";
import { HandsPage } from "@/hands/hands-page";
import { StandInsPage } from "@/messages/stand-ins-page";
import { NightsPage } from "@/nights/nights-page";
import { OutputsPage } from "@/outputs/outputs-page";
import { Masthead } from "./masthead";
import { ScreenPage } from "@/screen/screen-page";
import { SetlistPage } from "@/setlists/setlist-page";
import { RowConflictDialog } from "./row-conflict";
import { songRoutes } from "./song-views";
import { DressRunPage } from "@/shows/dress-run-page";
import { SongsPage } from "@/songs/songs-page";
import { DeskPage } from "@/stage/desk-page";
import { LineCheckPage } from "@/stage/line-check-page";
import { Remote } from "@/stage/remote";
import { StagePage } from "@/stage/stage-page";
import { Trouble, Waiting } from "@/ui/states";
import { Logo } from "@/ui/mark";

export function App() {
  // A phone or a screen that joins a show is nobody's account, and asks for none.
  const page = useLocation().pathname.split("/")[1];
  if (page === "band") return <BandPage />;
  if (page === "screen") return <ScreenPage />;
  return <SignedIn />;
}

function SignedIn() {
  const me = useMe();
  const atTheStage = useLocation().pathname.split("/")[1] === "stage";
  const known = useLastMe(me.data);
  if (me.isPending) return <Waiting />;
  // What is needed on the night needs no database: with the pass of the sign-in the stage opens without it.
  if (me.error && atTheStage && known && !isOut(me.error)) return <Routes>{stageRoutes(known)}</Routes>;
  if (me.error) {
    return isOut(me.error) ? <SignedOut /> : <Trouble error={me.error} again={() => void me.refetch()} />;
  }
  return (
    <>
      <RowConflictDialog />
      <Routes>
        {stageRoutes(me.data)}
        <Route element={<Masthead me={me.data} />}>
          <Route path="/songs" element={<SongsPage />} />
          {songRoutes(me.data.band)}
          <Route path="/setlists" element={<SetlistPage band={me.data.band} />} />
          <Route path="/setlists/:id" element={<SetlistPage band={me.data.band} />} />
          <Route path="/setlists/:id/dress-run/:show" element={<DressRunPage />} />
          <Route path="/nights" element={<NightsPage />} />
          <Route path="/nights/:name" element={<NightsPage />} />
          <Route path="/outputs" element={<OutputsPage />} />
          <Route path="/outputs/:id" element={<OutputsPage />} />
          <Route path="/hands" element={<HandsPage port={me.data.stage_port} />} />
          <Route path="/stand-ins" element={<StandInsPage port={me.data.stage_port} />} />
        </Route>
        <Route path="*" element={<Navigate to="/songs" replace />} />
      </Routes>
    </>
  );
}

/** The pages of the night. */
const stageRoutes = ({ band, stage_port }: Me) => (
  <>
    <Route path="/stage" element={<StagePage band={band} port={stage_port} />} />
    <Route path="/stage/line-check" element={<LineCheckPage port={stage_port} />} />
    <Route path="/stage/remote" element={<Remote port={stage_port} />} />
    <Route path="/stage/desk" element={<DeskPage port={stage_port} />} />
  </>
);

const isOut = (error: Error) => error instanceof Refused && (error.status === 401 || error.status === 403);

const LAST_ME = "last-me";

/** Who was signed in last at this browser, for when the server cannot say. */
function useLastMe(me: Me | undefined): Me | null {
  useEffect(() => {
    if (me) localStorage.setItem(LAST_ME, JSON.stringify(me));
  }, [me]);
  const kept = localStorage.getItem(LAST_ME);
  return kept ? (JSON.parse(kept) as Me) : null;
}

function SignedOut() {
  const { t } = useTranslation();
  const [query] = useSearchParams();
  return (
    <main className="mx-auto flex max-w-[520px] flex-col gap-4 px-6 py-24">
      <div className="flex items-center gap-2 text-[18px] font-[750]">
        <Logo /> {t("app.name")}
      </div>
      <h1>{query.get("link") === "used" ? t("signIn.used") : t("signIn.title")}</h1>
      <p>{t("signIn.how")}</p>
      <pre className="bg-line2 px-3 py-2">{t("signIn.command")}</pre>
    </main>
  );
}
