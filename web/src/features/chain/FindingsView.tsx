import { Page } from "../../ui/Page";
import { AskedFindings } from "./AskedFindings";
import type { ChainViewProps } from "./props";

/** The findings of a job, with their answers. */
export function FindingsView({ job, chain, tabs }: ChainViewProps) {
  return (
    <Page title="Findings" why="An answer is kept with name and time, and hides nothing." tabs={tabs}>
      <div className="max-w-5xl">
        <AskedFindings job={job} chain={chain} />
      </div>
    </Page>
  );
}
