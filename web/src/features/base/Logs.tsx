import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useSwitchLog } from "../../api/queries";
import { clock, counted, day } from "../../lib/format";
import { Button, Note, Select } from "../../ui/controls";

const INTERVALS = ["1", "5", "10", "15", "30"].map((value) => ({ value, label: counted(Number(value), "second") }));

/** Raw data of the base for a later computation: from start to stop, written as RINEX 3. */
export function Logs({ job, logs, running }: { job: Schemas["JobView"]; logs: Schemas["LogView"][]; running: boolean }) {
  const [interval, setInterval] = useState("10");
  const turn = useSwitchLog(job.id);
  const open = logs.some((log) => log.ended_s === null);
  return (
    <>
      {running && (
        <>
          <p className="leading-6 text-faded">
            Two hours and more for a computed coordinate. The stream is kept as it comes; RINEX 3 is written from it, GLONASS phase only where
            its channel is known.
          </p>
          <div>
            <Button kind={open ? "quiet" : "primary"} disabled={turn.isPending} onClick={() => turn.mutate(!open)}>
              {open ? "Stop the log" : "Start a log"}
            </Button>
          </div>
        </>
      )}
      {turn.isError && <Note tone="flag">{sentenceOf(turn.error)}</Note>}
      {logs.length > 0 && (
        <div className="w-56">
          <Select label="An epoch every" value={interval} options={INTERVALS} onChange={setInterval} />
        </div>
      )}
      {logs.map((log) => (
        <p key={log.id} className="flex items-center justify-between gap-3 border-t border-line py-1">
          <span>
            {day(log.started_s, job.time_zone)}, {clock(log.started_s, job.time_zone)} to{" "}
            {log.ended_s === null ? "now" : clock(log.ended_s, job.time_zone)}
          </span>
          <a
            href={`/api/jobs/${job.id}/logs/${log.id}.rnx?interval=${interval}`}
            download
            className="inline-flex h-touch items-center rounded border-2 border-line bg-page px-5 font-semibold"
          >
            RINEX 3
          </a>
        </p>
      ))}
    </>
  );
}
