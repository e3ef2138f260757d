import { lazy, Suspense, useEffect } from "react";
import { Navigate, Route, Routes, useLocation, useParams } from "react-router";
import { Problem, type Schemas } from "../api/client";
import { useSession } from "../api/hand";
import { BookPage } from "../features/book/BookPage";
import { CheckPage } from "../features/check/CheckPage";
import { JobPage } from "../features/job/JobPage";
import { JobsPage } from "../features/job/JobsPage";
import { registerWorker } from "../lib/worker";
import { PageBoundary } from "./PageBoundary";
import { Phones } from "./Rail";
import { Shell, useShell } from "./Shell";

const SignIn = lazy(() => import("../features/hand/SignIn").then((module) => ({ default: module.SignIn })));
const PhonesPage = lazy(() => import("../features/hand/PhonesPage").then((module) => ({ default: module.PhonesPage })));
const AboutPage = lazy(() => import("../features/about/AboutPage").then((module) => ({ default: module.AboutPage })));
const Keys = lazy(() => import("./Keys"));
const BasePage = lazy(() => import("../features/base/BasePage").then((module) => ({ default: module.BasePage })));
const WatchPage = lazy(() => import("../features/watch/WatchPage").then((module) => ({ default: module.WatchPage })));
const LinkPage = lazy(() => import("../features/link/LinkPage").then((module) => ({ default: module.LinkPage })));
const SkyPage = lazy(() => import("../features/sky/SkyPage").then((module) => ({ default: module.SkyPage })));
const FitPage = lazy(() => import("../features/fit/FitPage").then((module) => ({ default: module.FitPage })));
const ChainPage = lazy(() => import("../features/chain/ChainPage").then((module) => ({ default: module.ChainPage })));
const KitPage = lazy(() => import("../features/kit/KitPage").then((module) => ({ default: module.KitPage })));

/** Who may see the pages: all on the program's own machine, over the network whoever has signed in. */
export function App() {
  const session = useSession();
  const away = session.data?.here === false;
  useEffect(() => {
    if (away) registerWorker();
  }, [away]);
  const refused = session.error instanceof Problem && session.error.status > 0 ? session.error : null;
  if (refused || !session.data)
    return (
      <Suspense fallback={null}>
        {refused ? <SignIn refused={refused.status === 401 ? "" : refused.sentence} /> : session.isError && <OutOfReach />}
      </Suspense>
    );
  return (
    <Suspense fallback={null}>
      <Routes>
        <Route path="/phones" element={<PhonesPage />} />
        <Route path="/about" element={<AboutPage />} />
        <Route
          path="/"
          element={
            <PageBoundary>
              <JobsPage beside={<Phones />} />
            </PageBoundary>
          }
        />
        <Route path="/job/:jobId" element={<Shell />}>
          <Route index element={<Navigate to="chain" replace />} />
          <Route path="chain" element={<OfJob page={ChainPage} />} />
          <Route path="job" element={<OfJob page={JobPage} />} />
          <Route path="kit" element={<OfJob page={KitPage} />} />
          <Route path="sky" element={<OfJob page={SkyPage} />} />
          <Route path="link" element={<OfJob page={LinkPage} />} />
          <Route path="base" element={<OfJob page={BasePage} />} />
          <Route path="watch" element={<OfJob page={WatchPage} />} />
          <Route path="check" element={<OfJob page={CheckPage} />} />
          <Route path="fit" element={<OfJob page={FitPage} />} />
          <Route path="book" element={<OfJob page={BookPage} />} />
        </Route>
        <Route path="*" element={<Navigate to="/" replace />} />
      </Routes>
      <Keys />
    </Suspense>
  );
}

/** The pages are here, the program is not. */
function OutOfReach() {
  return (
    <main className="flex min-h-dvh flex-col justify-center gap-3 p-6 text-lg" role="alert">
      <h1 className="text-4xl font-bold text-flag">Cut off</h1>
      <p>The program is out of reach: no Wi-Fi here, or it does not run. Nothing that it acknowledged is lost.</p>
      <p className="text-faded">This page tries again by itself.</p>
    </main>
  );
}

/** Every page has the job; what is live it selects itself. */
export interface PageProps {
  job: Schemas["JobView"];
}

function OfJob({ page: Page }: { page: (props: PageProps) => React.ReactNode }) {
  const job = useShell();
  const { jobId = "" } = useParams();
  // One page that breaks leaves the next one whole.
  const { pathname } = useLocation();
  return (
    <PageBoundary key={pathname}>
      <Page key={jobId} job={job} />
    </PageBoundary>
  );
}
