import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useBeginAverage, useCancelAverage } from "../../api/queries";
import { fixed } from "../../lib/format";
import { Button, Note, Progress, TextField } from "../../ui/controls";

/** The average of what the base's receiver reports: with progress, and with what it is worth. */
export function AveragePanel(props: { jobId: string; average: Schemas["Average"] | null; suggested: string }) {
  const [url, setUrl] = useState(props.suggested);
  const [seconds, setSeconds] = useState("30");
  const begin = useBeginAverage(props.jobId);
  const cancel = useCancelAverage(props.jobId);
  const average = props.average;
  return (
    <div className="flex flex-col gap-3 rounded border-2 border-line bg-page p-4">
      <div className="grid grid-cols-[1fr_7rem_auto] items-end gap-3">
        <TextField label="Base receiver's own NMEA" value={url} onChange={setUrl} placeholder="tcp://192.168.1.20:5016" />
        <TextField label="Seconds" value={seconds} onChange={setSeconds} />
        {average?.running ? (
          <Button onClick={() => cancel.mutate(undefined)}>Stop</Button>
        ) : (
          <Button onClick={() => begin.mutate({ url: url.trim() || null, seconds: Number(seconds) || 0 })}>Average</Button>
        )}
      </div>
      {begin.isError && <Note tone="flag">{sentenceOf(begin.error)}</Note>}
      {average?.problem && <Note tone="flag">{average.problem}</Note>}
      {average && (
        <>
          <Progress label="Average" value={average.elapsed_s} most={average.seconds} />
          <p>
            {average.count} positions ({average.status}), {fixed(average.latitude_deg, 8)}, {fixed(average.longitude_deg, 8)},{" "}
            {fixed(average.height_m, 2)} m. Spread {fixed(average.spread_horizontal_m, 2)} m, yet expect{" "}
            <span className="font-bold">about {fixed(average.accuracy_95_m, 0)} m</span> off: averaging lowers noise, not bias.
          </p>
        </>
      )}
    </div>
  );
}
