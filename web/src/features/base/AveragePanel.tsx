import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useAverageLog, useBeginAverage, useCancelAverage, useHeights } from "../../api/queries";
import { clock, counted, fixed, latitude, length, longitude, UNIT_SIGN } from "../../lib/format";
import { Wander } from "../../plots/Wander";
import { Button, FileButton, Figure, Note, Progress, Select, TextField } from "../../ui/controls";
import { FindingList, FindingNote } from "../../ui/findings";
import { Spoken } from "../../ui/Spoken";

interface PanelProps {
  job: Schemas["JobView"];
  purpose: Schemas["AverageRequest"]["purpose"] & string;
  average: Schemas["AverageView"] | null;
  stored: Schemas["StoredAverage"] | null;
  suggestedUrl: string;
}

/** An average of what a receiver reports, live or from a log: with progress, and with what it is worth. */
export function AveragePanel(props: PanelProps) {
  const { job, purpose, stored } = props;
  const average = props.average?.purpose === purpose ? props.average : null;
  const kit = useHeights(job.id);
  const [url, setUrl] = useState(props.suggestedUrl);
  const [seconds, setSeconds] = useState(purpose === "mark" ? "30" : "300");
  const [typedPole, setPole] = useState<{ reading: string; feature: string } | null>(null);
  const begin = useBeginAverage(job.id);
  const cancel = useCancelAverage(job.id);
  const log = useAverageLog(job.id);
  const features = kit.data?.rover_features ?? [];
  const pole = typedPole ?? { reading: kit.data?.rover_height_text ?? "", feature: features[0]?.name ?? "rod" };
  const over = purpose === "mark" ? pole : { reading: "", feature: "" };
  const problem = begin.error ?? log.error;
  const shown = average?.running && average.result ? average.result : stored;
  return (
    <section className="flex flex-col gap-3 rounded border-2 border-line bg-page p-4">
      <TextField
        label={purpose === "base" ? "The base receiver's own NMEA" : "Rover NMEA"}
        value={url}
        onChange={setUrl}
        placeholder="tcp://192.168.1.20:5016"
      />
      {purpose === "mark" && (
        <div className="grid grid-cols-1 sm:grid-cols-2 gap-3">
          <TextField label="Rover height" name="pole" value={pole.reading} onChange={(reading) => setPole({ ...pole, reading })} />
          <Select
            label="Measured on"
            value={pole.feature}
            options={features.map((item) => ({ value: item.name, label: item.label }))}
            onChange={(feature) => setPole({ ...pole, feature })}
          />
        </div>
      )}
      <AverageStart seconds={seconds} setSeconds={setSeconds} average={average} cancel={cancel} begin={begin} url={url} purpose={purpose} over={over} log={log} />
      {problem && <Note tone="flag">{sentenceOf(problem)}</Note>}
      {average?.problem && <Note tone="flag">{average.problem}</Note>}
      {average?.running && (
        <div>
          <Spoken>{average.waiting ? "The average waits for fixed" : "The average runs"}</Spoken>
          <Progress label="Average" value={average.elapsed_s} most={average.seconds} />
          <p>
            {average.waiting
              ? "Waiting for fixed: the time begins then."
              : `${average.elapsed_s.toFixed(0)} of ${average.seconds.toFixed(0)} s, ${counted(average.result?.used ?? 0, "position")}`}
          </p>
        </div>
      )}
      {shown && <Worth job={job} of={shown} origin={average?.running || !stored ? "" : `${stored.origin}, ${clock(stored.created_s, job.time_zone)}`} />}
    </section>
  );
}

/** How long, and the start or a log in its place. */
function AverageStart(props: {
  seconds: string;
  setSeconds: (value: string) => void;
  average: Schemas["AverageView"] | null;
  cancel: ReturnType<typeof useCancelAverage>;
  begin: ReturnType<typeof useBeginAverage>;
  url: string;
  purpose: "base" | "mark";
  over: { reading: string; feature: string };
  log: ReturnType<typeof useAverageLog>;
}) {
  const { seconds, setSeconds, average, cancel, begin, url, purpose, over, log } = props;
  return (
    <div className="flex items-end gap-3">
      <div className="w-28">
        <TextField label="Seconds" name="average_seconds" value={seconds} onChange={setSeconds} />
      </div>
      {average?.running ? (
        <Button onClick={() => cancel.mutate(undefined)}>Stop: keep what came</Button>
      ) : (
        <Button disabled={begin.isPending} onClick={() => begin.mutate({ url: url.trim() || null, seconds: Number(seconds) || 0, purpose, ...over })}>
          Average
        </Button>
      )}
      <FileButton
        label={purpose === "base" ? "NMEA log of the base" : "NMEA log of the rover"}
        accept=".nmea,.txt,.log"
        disabled={log.isPending || Boolean(average?.running)}
        onFile={(file) => log.mutate({ file, purpose, ...over })}
      >
        From a log
      </FileButton>
    </div>
  );
}

/** What an average is worth: noise of the mean and accuracy to expect, apart, with the picture of both. */
function Worth({ job, of, origin }: { job: Schemas["JobView"]; of: Schemas["AverageResult"]; origin: string }) {
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  return (
    <div className="flex flex-col gap-3">
      <div className="flex gap-10">
        <Figure label="may be off by, 95 %" value={length(of.accuracy_95_m, unit, 2)} sign={sign} tone="text-flag" large />
        <Figure
          label="noise of the mean, 95 %"
          value={length(of.half_95_horizontal_m, unit)}
          sign={sign}
          hint={of.half_95_horizontal_m === null || of.too_short ? "too short to tell" : ""}
        />
      </div>
      <p className="leading-6">
        {counted(of.used, "position")} of {of.epochs}, lowest status {of.status}, over {fixed(of.span_s, 0)} s. They resemble each other for
        about {fixed(of.correlation_s, 0)} s, so they count as {fixed(of.effective_n, 0)}. Spread {length(of.spread_horizontal_m, unit)} {sign}{" "}
        horizontally, {length(of.spread_up_m, unit)} {sign} in height. Mean {latitude(of.latitude_deg, 7)}, {longitude(of.longitude_deg, 7)},{" "}
        {length(of.height_m, unit)} {sign}.{origin && <span className="text-faded"> ({origin})</span>}
      </p>
      {of.time_s.length > 2 && (
        <Wander
          of={{ eastM: of.east_m, northM: of.north_m, upM: of.up_m, timeS: of.time_s, precisionM: of.half_95_horizontal_m, accuracyM: of.accuracy_95_m }}
          write={(metres) => `${length(metres, unit, metres < 0.1 ? undefined : 2)} ${sign}`}
        />
      )}
      <FindingList findings={of.findings} />
    </div>
  );
}

/** The rover's average over a mark against the mark's own coordinate. */
export function MarkCheck({ stored }: { stored: Schemas["StoredAverage"] | null }) {
  return stored?.check ? <FindingNote finding={stored.check.finding} {...(stored.check.agrees ? { tone: "checked" as const } : {})} /> : null;
}
