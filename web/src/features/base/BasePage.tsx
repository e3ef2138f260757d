import { sentenceOf, type Schemas } from "../../api/client";
import { useLive } from "../../api/live";
import { useBase } from "../../api/queries";
import { Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { Tabs, useView } from "../../ui/Tabs";
import { EarlierView } from "./EarlierView";
import { RunningBase } from "./RunningBase";
import { SetUpBase } from "./SetUpBase";

const VIEWS = [
  { view: "now", label: "This base" },
  { view: "earlier", label: "Earlier" },
] as const;

/** The base: set up and start it, see what it really sends, end it; and what ran before. */
export function BasePage({ job }: { job: Schemas["JobView"] }) {
  const base = useBase(job.id);
  const average = useLive((state) => state.average);
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  if (base.isPending) return <Page title="Base" why="">{null}</Page>;
  if (base.isError)
    return (
      <Page title="Base" why="">
        <Note tone="flag">{sentenceOf(base.error)}</Note>
      </Page>
    );
  const tabs = base.data.ran_before && <Tabs views={VIEWS} value={view} onChange={setView} />;
  if (view === "earlier" && tabs) return <EarlierView job={job} tabs={tabs} />;
  if (base.data.occupation) return <RunningBase key={base.data.occupation.id} job={job} view={base.data} occupation={base.data.occupation} tabs={tabs} />;
  return <SetUpBase job={job} view={base.data} average={average ?? base.data.average} tabs={tabs} />;
}
