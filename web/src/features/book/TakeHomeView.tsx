import { Download, FileText, Package, X } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { useDoubtfulPoints, useReports, useTakeHome } from "../../api/book";
import { sentenceOf } from "../../api/client";
import { clock } from "../../lib/format";
import { beginPackage, beginPoints, beginReport, useWork } from "../../api/work";
import { Button, Note, Select, Toggle } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { saveMade, WorkBar } from "../../ui/work";
import type { Schemas } from "../../api/client";
import type { ViewProps } from "../../ui/view";

/** Points in open formats, derived at that moment; a CSV has the columns, the order and the unit that are wished. */
export function TakeHomeView({ job, tabs }: ViewProps) {
  const view = useTakeHome(job.id);
  const reports = useReports(job.id).data ?? [];
  const [columns, setColumns] = useState<string[] | null>(null);
  const [unit, setUnit] = useState<"" | "m" | "ft" | "sft">("");
  const [doubtful, setDoubtful] = useState<"leave out" | "take">("leave out");
  const doubts = useDoubtfulPoints(job.id);
  const work = useWork(saveMade);
  if (view.isError) return <Note tone="flag">{sentenceOf(view.error)}</Note>;
  if (!view.data) return <p className="p-6">Reading what can be taken home.</p>;
  const { data } = view;
  const used = columns ?? data.usual;
  const wordsOf = (key: string) => data.columns.find((item) => item.key === key)?.words ?? key;
  const busy = work.busy || work.view?.state === "running";
  const take = (format: string) => work.begin(beginPoints(job.id, format, { columns: format === "csv" ? (columns ?? []).join(",") : "", unit, doubtful }));
  return (
    <Page
      title="Take home"
      why="Points as they are now, with 95 % where the format has a place for it."
      tabs={tabs}
      aside={<WorkBar work={work} />}
      action={
        <Button kind="primary" large disabled={busy || doubts.isPending} onClick={() => take("csv")}>
          <Download aria-hidden /> Points as CSV
        </Button>
      }
    >
      {doubts.data && doubts.data.points.length > 0 && <Doubtful job={job} doubts={doubts.data} doubtful={doubtful} onChange={setDoubtful} />}
      <div className="grid grid-cols-1 lg:grid-cols-[minmax(0,1fr)_20rem] gap-6">
        <ColumnChoice setColumns={setColumns} data={data} used={used} wordsOf={wordsOf} unit={unit} setUnit={setUnit} />
        <OtherFiles reports={reports} busy={busy} work={work} job={job} data={data} take={take} />
      </div>
    </Page>
  );
}

/** Reports, other formats of points, and the whole job as a package. */
function OtherFiles(props: {
  reports: Schemas["ReportOffered"][];
  busy: boolean;
  work: ReturnType<typeof useWork>;
  job: Schemas["JobView"];
  data: Schemas["TakeHomeView"];
  take: (format: string) => void;
}) {
  const { reports, busy, work, job, data, take } = props;
  return (
    <section className="flex flex-col gap-2">
      <h2 className="text-xl font-bold">Reports</h2>
      {reports.map((item) => (
        <Button key={item.kind} disabled={busy} onClick={() => work.begin(beginReport(job.id, item.kind))}>
          <FileText aria-hidden size={18} /> {item.title}
        </Button>
      ))}
      <h2 className="mt-3 text-xl font-bold">Other formats</h2>
      {data.formats
        .filter((item) => item.format !== "csv")
        .map((item) => (
          <Button key={item.format} disabled={busy} onClick={() => take(item.format)}>
            <Download aria-hidden size={18} /> {item.words}
          </Button>
        ))}
      <h2 className="mt-3 text-xl font-bold">All of the job</h2>
      <Button disabled={busy} onClick={() => work.begin(beginPackage(job.id))}>
        <Package aria-hidden size={18} /> Package
      </Button>
      <p className="text-base text-faded">
        Rows, Book, raw streams and photos in one file. Unpack it on another machine, on the page of all jobs; lines of other jobs go sealed.
      </p>
      <p className="text-base text-faded">
        The base's observables as RINEX, and raw streams:{" "}
        <Link className="underline" to={`/job/${job.id}/base?view=earlier`}>
          bases that ran
        </Link>
        , and of the one that runs its step Raw data. The control list: on the page{" "}
        <Link className="underline" to={`/job/${job.id}/job`}>
          Job
        </Link>
        .
      </p>
    </section>
  );
}

/** The columns of the CSV, in order, and its unit. */
function ColumnChoice(props: {
  setColumns: (value: string[] | null) => void;
  data: Schemas["TakeHomeView"];
  used: string[];
  wordsOf: (key: string) => string;
  unit: "" | "m" | "ft" | "sft";
  setUnit: (value: "" | "m" | "ft" | "sft") => void;
}) {
  const { setColumns, data, used, wordsOf, unit, setUnit } = props;
  return (
    <section className="flex flex-col gap-3">
      <h2 className="text-xl font-bold">The CSV's columns, in order</h2>
      <div className="flex flex-wrap gap-2">
        <Button onClick={() => setColumns(null)}>The usual ones</Button>
        {data.orders.map((order) => (
          <Button key={order.words} onClick={() => setColumns(order.columns)}>
            {order.words}
          </Button>
        ))}
      </div>
      <ol className="flex flex-wrap gap-2" aria-label="Columns">
        {used.map((key) => (
          <li key={key}>
            <button
              type="button"
              aria-label={`Leave ${wordsOf(key)} out`}
              className="flex min-h-touch items-center gap-2 rounded border-2 border-ink bg-page px-3"
              onClick={() => setColumns(used.filter((item) => item !== key))}
            >
              {wordsOf(key)} <X aria-hidden size={16} />
            </button>
          </li>
        ))}
      </ol>
      <Select
        label="One more column"
        value=""
        options={[{ value: "", label: "Choose" }, ...data.columns.filter((item) => !used.includes(item.key)).map((item) => ({ value: item.key, label: item.words }))]}
        onChange={(key) => key && setColumns([...used, key])}
      />
      <div className="w-64">
        <Select
          label="Unit of lengths"
          value={unit}
          options={[{ value: "", label: "as the job has it" }, ...data.units.map((item) => ({ value: item, label: { m: "metre", ft: "foot", sft: "US survey foot" }[item] }))]}
          onChange={(value) => setUnit(value as typeof unit)}
        />
      </div>
    </section>
  );
}

type DoubtfulProps = { job: Schemas["JobView"]; doubts: Schemas["DoubtfulPoints"]; doubtful: "leave out" | "take"; onChange: (value: "leave out" | "take") => void };

/** What speaks against points of the list, before it is saved. */
function Doubtful({ job, doubts, doubtful, onChange }: DoubtfulProps) {
  return (
    <section className="mb-4 rounded border-2 border-flag bg-page p-3" aria-label="Points in doubt">
      <h2 className="text-xl font-bold">Before you save: {doubts.words}</h2>
      <ul className="my-2 max-h-40 overflow-y-auto text-base">
        {doubts.points.map((point) => (
          <li key={`${point.name} ${point.recorded_s}`}>
            <span className="font-semibold">{point.name}</span> of {clock(point.recorded_s, job.time_zone)}: {point.doubt}
          </li>
        ))}
        {doubts.more > 0 && <li>and {doubts.more} more</li>}
      </ul>
      <Toggle
        label="Take them too, marked"
        hint={doubtful === "take" ? "Columns say what speaks against them." : "Off: they are left out."}
        value={doubtful === "take"}
        onChange={(taken) => onChange(taken ? "take" : "leave out")}
      />
    </section>
  );
}
