import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { LinkButton } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { StateMark } from "../../ui/StateMark";
import type { ChainViewProps } from "./props";

/** Coming back to a site: what still holds, what must be checked anew, in order, and how long it takes. */
export function MorningView({ job, tabs, morning }: ChainViewProps & { morning: Schemas["Morning"] }) {
  return (
    <Page
      title="Morning"
      why="What still holds from last time, and what must be checked again today."
      tabs={tabs}
      aside={
        <>
          <p className="text-xl font-bold">About {Math.round(morning.minutes)} minutes until work can start.</p>
          {morning.hours && <p className="text-faded">The sky today: {morning.hours}</p>}
        </>
      }
      action={<LinkButton to={`/job/${job.id}/${morning.first.page}`}>{morning.first.press}</LinkButton>}
    >
      <ol className="flex max-w-4xl flex-col gap-2">
        {morning.items.map((item, n) => (
          <li key={item.what} className="flex items-center gap-4 rounded border-2 border-line bg-page px-4 py-2">
            <span className="w-6 text-2xl font-bold">{n + 1}</span>
            <StateMark state={item.state} size={28} />
            <div className="min-w-0 flex-1">
              <p className="text-xl font-bold">{item.what}</p>
              <p className="leading-5 text-faded">{item.why}</p>
            </div>
            <span className="text-xl whitespace-nowrap">{item.minutes > 0 ? `${item.minutes} min` : "holds"}</span>
            <Link to={`/job/${job.id}/${item.page}`} className="inline-flex h-touch w-36 items-center justify-center rounded border-2 border-line px-3 font-semibold whitespace-nowrap">
              {item.press}
            </Link>
          </li>
        ))}
      </ol>
    </Page>
  );
}
