import { lazy, Suspense } from "react";
import { Navigate, Route, Routes, useLocation, useParams } from "react-router";
import type { Schemas } from "../api/client";
import { BookPage } from "../features/book/BookPage";
import { CheckPage } from "../features/check/CheckPage";
import { JobPage } from "../features/job/JobPage";
import { JobsPage } from "../features/job/JobsPage";
import { PageBoundary } from "./PageBoundary";
import { Shell, useShell } from "./Shell";

const Keys = lazy(() => import("./Keys"));
const BasePage = lazy(() => import("../features/base/BasePage").then((module) => ({ default: module.BasePage })));
const WatchPage = lazy(() => import("../features/watch/WatchPage").then((module) => ({ default: module.WatchPage })));
const LinkPage = lazy(() => import("../features/link/LinkPage").then((module) => ({ default: module.LinkPage })));
const FitPage = lazy(() => import("../features/fit/FitPage").then((module) => ({ default: module.FitPage })));
const ChainPage = lazy(() => import("../features/chain/ChainPage").then((module) => ({ default: module.ChainPage })));
const KitPage = lazy(() => import("../features/kit/KitPage").then((module) => ({ default: module.KitPage })));

export function App() {
  return (
    <Suspense fallback={null}>
      <Routes>
        <Route
          path="/"
          element={
            <PageBoundary>
              <JobsPage />
            </PageBoundary>
          }
        />
        <Route path="/job/:jobId" element={<Shell />}>
          <Route index element={<Navigate to="chain" replace />} />
          <Route path="chain" element={<OfJob page={ChainPage} />} />
          <Route path="job" element={<OfJob page={JobPage} />} />
          <Route path="kit" element={<OfJob page={KitPage} />} />
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
