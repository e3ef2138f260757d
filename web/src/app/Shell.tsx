import { Suspense, useState } from "react";
import { Link, Outlet, useOutletContext, useParams } from "react-router";
import { sentenceOf, type Schemas } from "../api/client";
import { useLive, useLiveStream } from "../api/live";
import { useJob } from "../api/queries";
import { useAwake } from "../lib/wake";
import { Note } from "../ui/controls";
import { Alarm } from "./Alarm";
import { Drawer } from "./Drawer";
import { FootSteps, Rail } from "./Rail";
import { Strip } from "./Strip";

/** The job of the page; what is live is selected where it is drawn. */
export const useShell = () => useOutletContext<Schemas["JobView"]>();

export function Shell() {
  const { jobId = "" } = useParams();
  const job = useJob(jobId);
  useLiveStream(jobId);
  const [drawer, setDrawer] = useState(false);

  if (job.isPending) return <p className="p-8 text-xl">Opening the job.</p>;
  if (job.isError)
    return (
      <div className="p-8">
        <Note tone="flag">{sentenceOf(job.error)}</Note>
        <Link to="/" className="mt-4 inline-block text-xl underline">
          All jobs
        </Link>
      </div>
    );
  return (
    <div className="grid h-dvh grid-rows-[auto_minmax(0,1fr)_auto] text-lg short:block short:h-auto short:min-h-dvh grid-cols-1 lg:grid-cols-[10.5rem_1fr] lg:grid-rows-[auto_1fr]">
      <Alarm />
      <Awake />
      <Rail jobId={jobId} onGo={() => setDrawer(false)} />
      <Strip job={job.data} onDrawer={() => setDrawer(!drawer)} drawer={drawer} />
      <div className="relative flex min-h-0 overflow-hidden short:overflow-visible">
        <main className="flex min-w-0 flex-1 flex-col overflow-hidden short:min-h-[calc(100dvh-4rem)] short:overflow-visible short:*:last:mt-auto">
          <Suspense fallback={<p className="p-6">Opening the page.</p>}>
            <Outlet context={job.data satisfies Schemas["JobView"]} />
          </Suspense>
        </main>
        {drawer && <Drawer job={job.data} onClose={() => setDrawer(false)} />}
      </div>
      <FootSteps job={job.data} onGo={() => setDrawer(false)} />
    </div>
  );
}

/** The screen stays on while a shot is recorded. Draws nothing. */
function Awake() {
  useAwake(useLive(({ rovers }) => rovers.some((rover) => rover.shot !== null)));
  return null;
}
