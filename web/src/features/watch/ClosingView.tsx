import { Link } from "react-router";
import { sentenceOf } from "../../api/client";
import { useClosing, useTickClosing } from "../../api/watch";
import { Note, Progress } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { StateMark } from "../../ui/StateMark";
import { TickRow } from "../../ui/ticks";
import type { ViewProps } from "../../ui/view";

/** The end of the day: one list, in order. What the program knows it says; the rest is ticked off. */
export function ClosingView({ job, tabs }: ViewProps) {
  const closing = useClosing(job.id);
  const tick = useTickClosing(job.id);
  const items = closing.data?.items ?? [];
  const done = items.length - (closing.data?.due ?? 0);
  return (
    <Page
      title="Closing"
      why="In this order: what is forgotten now cannot be measured tomorrow."
      tabs={tabs}
      aside={
        items.length > 0 && (
          <div className="flex items-center gap-6">
            <span className="text-3xl font-bold whitespace-nowrap">
              {done} of {items.length}
            </span>
            <Progress label="Closed" value={done} most={items.length} />
          </div>
        )
      }
    >
      {closing.isError && <Note tone="flag">{sentenceOf(closing.error)}</Note>}
      {tick.isError && <Note tone="flag">{sentenceOf(tick.error)}</Note>}
      <ol className="max-w-4xl">
        {items.map((item, n) => (
          <li key={item.key} className="grid grid-cols-[2.5rem_1fr] items-center">
            <span className="text-xl font-bold text-faded">{n + 1}</span>
            {item.known ? (
              <Link to={`/job/${job.id}/${item.page}`} className="flex min-h-touch items-center gap-3 border-b border-line py-1">
                <StateMark state={item.state === "due" ? "missing" : "checked"} size={24} />
                <span className="min-w-0 flex-1">
                  <span className="block leading-5 font-semibold">{item.what}</span>
                  {item.why && <span className="block text-base leading-5 text-faded">{item.why}</span>}
                </span>
                <span className={item.state === "due" ? "font-bold" : "text-faded"}>{item.state}</span>
              </Link>
            ) : (
              <TickRow what={item.what} why={item.why} done={item.state === "done"} onTick={() => tick.mutate({ key: item.key, done: item.state !== "done" })} />
            )}
          </li>
        ))}
      </ol>
    </Page>
  );
}
