import type { Schemas } from "../../api/client";
import { sentenceOf } from "../../api/client";
import { useFit } from "../../api/fit";
import { Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { Tabs, useView } from "../../ui/Tabs";
import { HistoryView } from "./HistoryView";
import { MarksView } from "./MarksView";
import { MeasureView } from "./MeasureView";
import { ModelsView } from "./ModelsView";
import { VIEWS } from "./props";
import { TrustView } from "./TrustView";
import { UseView } from "./UseView";

/** Fit: GNSS tied to the control's own coordinates, and how far to trust it. */
export function FitPage({ job }: { job: Schemas["JobView"] }) {
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  const tabs = <Tabs views={VIEWS} value={view} onChange={setView} />;
  const fit = useFit(job.id);
  if (!fit.data)
    return (
      <Page title="Fit" why="" tabs={tabs}>
        {fit.isError && <Note tone="flag">{sentenceOf(fit.error)}</Note>}
      </Page>
    );
  const props = { job, fit: fit.data, tabs, onView: setView };
  if (view === "measure") return <MeasureView {...props} />;
  if (view === "marks") return <MarksView {...props} />;
  if (view === "models") return <ModelsView {...props} />;
  if (view === "history") return <HistoryView {...props} />;
  if (view === "use") return <UseView {...props} />;
  return <TrustView {...props} />;
}
