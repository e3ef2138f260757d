import { sentenceOf, type Schemas } from "../../api/client";
import { useBase } from "../../api/queries";
import { Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { RunningBase } from "./RunningBase";
import { StartBase } from "./StartBase";

/** The base: set up and start it, or see what it really sends. */
export function BasePage({ job, average }: { job: Schemas["Job"]; live: Schemas["Live"] | null; average: Schemas["Average"] | null }) {
  const base = useBase(job.id);
  if (base.isPending) return <Page title="Base" why="">{null}</Page>;
  if (base.isError)
    return (
      <Page title="Base" why="">
        <Note tone="flag">{sentenceOf(base.error)}</Note>
      </Page>
    );
  if (base.data.occupation) return <RunningBase job={job} view={base.data} occupation={base.data.occupation} />;
  return <StartBase job={job} view={base.data} average={average ?? base.data.average} />;
}
