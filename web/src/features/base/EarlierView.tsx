import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useEarlier } from "../../api/queries";
import { clock, day } from "../../lib/format";
import { Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { Steps, type Step } from "../../ui/Steps";
import { Coordinates } from "./Coordinates";
import { ClosingHeight, ReadingTable, useReading } from "./HeightsStep";
import { Logs } from "./Logs";
import { Photos } from "./SiteStep";

/** The bases that ran and ended: their heights, coordinates, raw data, and a coordinate computed later. */
export function EarlierView({ job, tabs }: { job: Schemas["JobView"]; tabs: React.ReactNode }) {
  const earlier = useEarlier(job.id);
  const [chosen, setOpen] = useState("");
  if (earlier.isPending || earlier.isError)
    return (
      <Page title="Earlier" why="What ran here before, and what is still to come for it." tabs={tabs}>
        {earlier.isError && <Note tone="flag">{sentenceOf(earlier.error)}</Note>}
      </Page>
    );
  const bases = earlier.data;
  const open = chosen || (bases[0]?.id ?? "");
  const steps: Step[] = bases.map((base) => ({
    key: base.id,
    title: base.mark_name,
    state: base.state,
    summary: `${day(base.started_s, job.time_zone)} ${clock(base.started_s, job.time_zone).slice(0, 5)} to ${clock(base.ended_s, job.time_zone).slice(0, 5)}, ${base.title}`,
  }));
  const shown = bases.find((base) => base.id === open);
  return (
    <Page title="Earlier" why="What ran here before, and what is still to come for it." tabs={tabs}>
      <div className="max-w-4xl">
        <Steps steps={steps} open={open} onOpen={setOpen}>
          {shown && <OneBase key={shown.id} job={job} base={shown} latest={shown.id === bases[0]?.id} />}
        </Steps>
      </div>
    </Page>
  );
}

function OneBase({ job, base, latest }: { job: Schemas["JobView"]; base: Schemas["EarlierBase"]; latest: boolean }) {
  const reading = useReading(job.id, "after", base.heights);
  return (
    <>
      <h3 className="text-xl font-bold">Coordinate</h3>
      <Coordinates job={job} occupationId={base.id} coordinates={base.coordinates} locked={base.locked} anew={base.anew} />
      <h3 className="text-xl font-bold">Height</h3>
      <ReadingTable job={job} heights={base.heights} moment="before" />
      {latest ? (
        <ClosingHeight job={job} heights={base.heights} reading={reading} />
      ) : (
        <ReadingTable job={job} heights={base.heights} moment="after" />
      )}
      {base.photos.length > 0 && (
        <div className="flex flex-wrap gap-3">
          <Photos job={job} photos={base.photos} />
        </div>
      )}
      <h3 className="text-xl font-bold">Raw data</h3>
      <Logs job={job} logs={base.logs} running={false} />
      <ul className="text-base text-faded">
        {base.files.map((file) => (
          <li key={file.name}>
            {file.name}, from the {file.role}, {(file.bytes / 1000).toFixed(0)} kB
          </li>
        ))}
      </ul>
    </>
  );
}
