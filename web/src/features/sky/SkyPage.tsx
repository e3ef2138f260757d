import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useSky, type SkyAsked } from "../../api/sky";
import { clock } from "../../lib/format";
import { Button, Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { Tabs, useView } from "../../ui/Tabs";
import { CutoffView } from "./CutoffView";
import { DayView } from "./DayView";
import { ElementsView } from "./ElementsView";
import { IonosphereView } from "./IonosphereView";
import { PanoramaView } from "./PanoramaView";
import type { SkyProps } from "./props";
import { SeenView } from "./SeenView";

const VIEWS = [
  { view: "panorama", label: "Panorama" },
  { view: "day", label: "Hours" },
  { view: "seen", label: "Expected, seen" },
  { view: "cutoff", label: "Cut-off" },
  { view: "ionosphere", label: "Ionosphere" },
  { view: "elements", label: "Elements" },
] as const;

const AS_IT_STANDS: SkyAsked = { base_mark_id: "", rover_mark_id: "", day: "", night: false };

/** The sky: what both ends see of it, when it is good, what hides it, and whether it is as expected. */
export function SkyPage({ job }: { job: Schemas["JobView"] }) {
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  const [asked, setAsked] = useState(AS_IT_STANDS);
  const [chosen, setChosen] = useState<number | null>(null);
  const sky = useSky(job.id, asked);
  const tabs = <Tabs views={VIEWS} value={view} onChange={setView} />;
  const shown = sky.data?.shown;
  if (!shown)
    return (
      <Page title="Sky" why="What base and rover see, when it is good, and what hides it." tabs={tabs}>
        {sky.isError && (
          <div className="flex flex-col items-start gap-3">
            <Note tone="flag">{sentenceOf(sky.error)}</Note>
            <Button onClick={() => setAsked(AS_IT_STANDS)}>Today, as it stands</Button>
          </div>
        )}
        {sky.data && <Note>{sky.data.lacks}</Note>}
      </Page>
    );
  const last = shown.steps - 1;
  const props: SkyProps = {
    job,
    tabs,
    shown,
    step: Math.min(last, chosen ?? shown.now ?? Math.round(last / 2)),
    onStep: setChosen,
    at: (step) => clock(shown.from_s + step * shown.step_s, job.time_zone).slice(0, 5),
    asked,
    ask: (change) => {
      if (change.day !== undefined || change.night !== undefined) setChosen(null);
      setAsked({ ...asked, ...change });
    },
  };
  if (view === "day") return <DayView {...props} />;
  if (view === "seen") return <SeenView {...props} />;
  if (view === "cutoff") return <CutoffView {...props} />;
  if (view === "ionosphere") return <IonosphereView {...props} />;
  if (view === "elements") return <ElementsView {...props} />;
  return <PanoramaView {...props} />;
}
