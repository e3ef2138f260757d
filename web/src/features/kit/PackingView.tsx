import { sentenceOf } from "../../api/client";
import { usePacking, useTick } from "../../api/queries";
import { clock } from "../../lib/format";
import { Note, Progress } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { TickRow } from "../../ui/ticks";
import type { ViewProps } from "../../ui/view";

const COLUMNS = [
  [
    { group: "charge", title: "Charge, the night before" },
    { group: "look", title: "Look at" },
  ],
  [{ group: "pack", title: "Pack" }],
];

/** What must come along, ticked off; what people forget is on it. */
export function PackingView({ job, tabs }: ViewProps) {
  const packing = usePacking(job.id);
  const tick = useTick(job.id);
  const items = packing.data?.items ?? [];
  const done = items.filter((item) => item.done).length;
  return (
    <Page
      title="Packing"
      why={packing.data?.profiles.length ? `For ${packing.data.profiles.join(" and ")}.` : "From the profiles that the job uses."}
      tabs={tabs}
      aside={
        items.length > 0 && (
          <div className="flex items-center gap-6">
            <span className="text-3xl font-bold whitespace-nowrap" data-testid="packed">
              {done} of {items.length}
            </span>
            <Progress label="Packed" value={done} most={items.length} />
          </div>
        )
      }
    >
      {packing.isError && <Note tone="flag">{sentenceOf(packing.error)}</Note>}
      {tick.isError && <Note tone="flag">{sentenceOf(tick.error)}</Note>}
      {packing.data && items.length === 0 && <Note>Choose the profiles of this job under Profiles: the list comes from them.</Note>}
      <div className="grid grid-cols-1 sm:grid-cols-2 gap-x-8">
        {COLUMNS.map((groups) => (
          <div key={groups[0]?.group} className="flex flex-col gap-5">
            {groups.map(({ group, title }) => {
              const some = items.filter((item) => item.group === group);
              return (
                some.length > 0 && (
                  <section key={group}>
                    <h2 className="text-xl font-bold">{title}</h2>
                    <ul>
                      {some.map((item) => (
                        <li key={item.key}>
                          <TickRow
                            what={item.what}
                            why={item.why}
                            done={item.done}
                            at={item.at_s === null ? "" : clock(item.at_s, job.time_zone).slice(0, 5)}
                            onTick={() => tick.mutate({ key: item.key, done: !item.done })}
                          />
                        </li>
                      ))}
                    </ul>
                  </section>
                )
              );
            })}
          </div>
        ))}
      </div>
    </Page>
  );
}
