import { Link } from "react-router";
import { useLive } from "../../api/live";
import { useWatch } from "../../api/queries";
import type { Schemas } from "../../api/client";
import { Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { Tabs, useView } from "../../ui/Tabs";
import { ClosingView } from "./ClosingView";
import { GoToView } from "./GoToView";
import { HandoverView } from "./HandoverView";
import { NowView } from "./NowView";
import { PointsView } from "./PointsView";

const VIEWS = [
  { view: "now", label: "Now" },
  { view: "points", label: "Points" },
  { view: "go", label: "Go to a mark" },
  { view: "handover", label: "Network to radio" },
  { view: "closing", label: "Closing" },
] as const;

/** Watch: the rover now, points, the way to a mark, and the end of the day. */
export function WatchPage({ job }: { job: Schemas["JobView"] }) {
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  const watch = useWatch(job.id);
  const heard = useLive(({ live }) => live !== null);
  const tabs = <Tabs views={VIEWS} value={view} onChange={setView} />;
  if (view === "handover") return <HandoverView job={job} tabs={tabs} />;
  if (view === "closing") return <ClosingView job={job} tabs={tabs} />;
  if (view === "points") return <PointsView job={job} tabs={tabs} />;
  if (watch.data && !watch.data.running && !heard)
    return (
      <Page title="Watch" why="Corrections arriving, fixed or not, and how good by its own claim." tabs={tabs}>
        <Note>
          Nothing is listened to: no base is running in this job.{" "}
          <Link to={`/job/${job.id}/base`} className="font-bold underline">
            Start one on the Base page.
          </Link>
        </Note>
      </Page>
    );
  if (view === "go") return <GoToView job={job} tabs={tabs} />;
  return <NowView job={job} tabs={tabs} />;
}
