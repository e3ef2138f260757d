import { Ruler, X } from "lucide-react";
import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useBeginBench, useBench, useCancelBench } from "../../api/watch";
import { clock, day, length, UNIT_SIGN } from "../../lib/format";
import { Button, Note, Progress, TextField } from "../../ui/controls";
import { Ports } from "../../ui/feeds";
import { FindingLines } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { Spoken } from "../../ui/Spoken";
import { StateMark } from "../../ui/StateMark";
import type { ViewProps } from "../../ui/view";

/** The evening before: both units a taped distance apart; the pair works, or it is known tonight that it does not. */
export function BenchView({ job, tabs }: ViewProps) {
  const bench = useBench(job.id);
  const begin = useBeginBench(job.id);
  const [tape, setTape] = useState<string | null>(null);
  const [baseUrl, setBaseUrl] = useState("");
  const [roverUrl, setRoverUrl] = useState("");
  const view = bench.data;
  const problem = problemOf(begin.error);
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  const typed = tape ?? view?.practice_tape ?? "";
  return (
    <Page
      title="Bench test"
      why="Both units under open sky, a taped distance apart: better tonight than in the field."
      tabs={tabs}
      aside={
        view?.running ? (
          <Running view={view} />
        ) : begin.isError && !problem?.field ? (
          <p className="font-semibold text-flag">{sentenceOf(begin.error)}</p>
        ) : view?.problem ? (
          <p className="font-semibold text-flag">{view.problem}</p>
        ) : (
          <p className="text-faded">Tape from bottom of mount to bottom of mount, both at one height.</p>
        )
      }
      action={
        view?.running ? (
          <Cancel jobId={job.id} />
        ) : (
          <Button
            kind="primary"
            large
            disabled={begin.isPending || !typed.trim()}
            onClick={() => begin.mutate({ tape: typed, base_url: baseUrl, rover_url: roverUrl })}
          >
            <Ruler aria-hidden /> Test the pair
          </Button>
        )
      }
    >
      {bench.isError && <Note tone="flag">{sentenceOf(bench.error)}</Note>}
      <div className="grid grid-cols-1 lg:grid-cols-[20rem_minmax(0,1fr)] gap-6">
        <BenchFields view={view} typed={typed} setTape={setTape} at={at} baseUrl={baseUrl} setBaseUrl={setBaseUrl} job={job} roverUrl={roverUrl} setRoverUrl={setRoverUrl} />
        <section aria-label="Bench tests" className="flex flex-col gap-3">
          {view && view.results.length === 0 && <Note>No bench test of this pair yet.</Note>}
          {view?.results.map((result) => <Result key={result.id} job={job} result={result} />)}
        </section>
      </div>
    </Page>
  );
}

/** The taped distance, and where the two units are listened to. */
function BenchFields(props: {
  view: Schemas["BenchView"] | undefined;
  typed: string;
  setTape: (value: string | null) => void;
  at: (field: string) => string | null;
  baseUrl: string;
  setBaseUrl: (value: string) => void;
  job: Schemas["JobView"];
  roverUrl: string;
  setRoverUrl: (value: string) => void;
}) {
  const { view, typed, setTape, at, baseUrl, setBaseUrl, job, roverUrl, setRoverUrl } = props;
  return (
    <div className="flex flex-col gap-4">
      <p className="text-xl">
        <span className="font-bold">{view?.base}</span> and <span className="font-bold">{view?.rover}</span>
      </p>
      <TextField label="Taped distance" name="tape" value={typed} onChange={setTape} problem={at("tape")} large />
      <TextField
        label="Base stream"
        name="bench_base"
        value={baseUrl}
        onChange={setBaseUrl}
        placeholder={job.practice ? "empty: the stand-in" : "ntrip://user@host:2101/MOUNT"}
        problem={at("base_url")}
      />
      <TextField
        label="Rover NMEA"
        name="bench_rover"
        value={roverUrl}
        onChange={setRoverUrl}
        placeholder={job.practice ? "empty: the stand-in" : "serial:///dev/rfcomm0?baud=115200"}
        problem={at("rover_url")}
      />
      {!job.practice && <Ports onTake={setRoverUrl} />}
      <section>
        <h2 className="font-bold">Then shut down in this order</h2>
        <ol className="list-decimal pl-6">
          {view?.shut_down.map((step) => (
            <li key={step}>{step}</li>
          ))}
        </ol>
      </section>
    </div>
  );
}

function Running({ view }: { view: Schemas["BenchView"] }) {
  return (
    <div>
      <Spoken>{`Bench test: the rover is ${view.status}`}</Spoken>
      <Progress label="Bench test" value={view.fixed_for_s} most={view.wanted_s} />
      <p className="font-semibold">
        The rover is {view.status}; fixed for {view.fixed_for_s.toFixed(0)} of {view.wanted_s.toFixed(0)} s. {view.elapsed_s.toFixed(0)} s of at most{" "}
        {view.most_s.toFixed(0)} s.
      </p>
      <p className="text-base text-faded">{view.sentences.join("  ")}</p>
    </div>
  );
}

function Cancel({ jobId }: { jobId: string }) {
  const cancel = useCancelBench(jobId);
  return (
    <Button kind="danger" large onClick={() => cancel.mutate(undefined)}>
      <X aria-hidden /> Stop the test
    </Button>
  );
}

function Result({ job, result }: { job: Schemas["JobView"]; result: Schemas["BenchResult"] }) {
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  return (
    <article className={`rounded border-2 bg-page px-4 py-3 ${result.agrees ? "border-line" : "border-flag"}`}>
      <div className="flex items-center gap-4">
        <StateMark state={result.agrees ? "checked" : "disagrees"} size={28} />
        <p className="text-3xl font-bold whitespace-nowrap">
          {length(result.measured_m, unit)} <span className="text-lg">{result.measured_m === null ? "not measured" : `${sign} measured`}</span>
        </p>
        <p className="text-xl whitespace-nowrap">
          {length(result.taped_m, unit)} {sign} taped
        </p>
        <p className="ml-auto text-right text-base leading-5 text-faded">
          {day(result.created_s, job.time_zone)}, {clock(result.created_s, job.time_zone).slice(0, 5)}
          <br />
          {result.base} and {result.rover}
          {result.fix_after_s !== null && `, fixed after ${result.fix_after_s.toFixed(0)} s`}
        </p>
      </div>
      <div className="mt-2">
        <FindingLines findings={result.findings} />
      </div>
    </article>
  );
}
