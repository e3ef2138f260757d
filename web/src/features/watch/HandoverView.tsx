import { sentenceOf } from "../../api/client";
import { useHandover } from "../../api/watch";
import { LinkButton, Note } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { StateMark } from "../../ui/StateMark";
import type { ViewProps } from "../../ui/view";

/** The network is gone: a base over a point that it measured, and radio in the same frame. */
export function HandoverView({ job, tabs }: ViewProps) {
  const handover = useHandover(job.id);
  const steps = handover.data?.steps ?? [];
  const next = steps.find((step) => step.key === handover.data?.next);
  return (
    <Page
      title="Network to radio"
      why="When the network drops, the work goes on in its frame: a base over a point that it measured."
      tabs={tabs}
      aside={<p className="text-faded">{handover.data?.advice}</p>}
      action={
        next && (
          <LinkButton to={`/job/${job.id}/${next.page}`}>{next.title}</LinkButton>
        )
      }
    >
      {handover.isError && <Note tone="flag">{sentenceOf(handover.error)}</Note>}
      <ol className="mb-4 flex max-w-4xl flex-col gap-2">
        {steps.map((step, n) => (
          <li key={step.key} className={`grid grid-cols-[2.5rem_2rem_1fr] items-start gap-2 rounded border-2 bg-page px-3 py-2 ${step === next ? "border-ink" : "border-line"}`}>
            <span className="text-2xl font-bold text-faded">{n + 1}</span>
            <span className="pt-1">
              <StateMark state={step.state} size={24} />
            </span>
            <span>
              <span className="block text-xl font-bold">{step.title}</span>
              <span className="block leading-6">{step.words}</span>
              {step.state !== "checked" && <span className="block leading-6 text-faded">{step.action}</span>}
            </span>
          </li>
        ))}
      </ol>
      {handover.data && <FindingList findings={handover.data.findings} />}
    </Page>
  );
}
