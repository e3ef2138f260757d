import { FileUp } from "lucide-react";
import { useRef, useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useMarks } from "../../api/queries";
import { length, UNIT_SIGN } from "../../lib/format";
import { Button, Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { ControlImport } from "./ControlImport";

/** The job and its control list. */
export function JobPage({ job }: { job: Schemas["Job"]; live: Schemas["Live"] | null; average: Schemas["Average"] | null }) {
  const marks = useMarks(job.id);
  const input = useRef<HTMLInputElement>(null);
  const [file, setFile] = useState<File | null>(null);

  if (file) return <ControlImport job={job} file={file} onClose={() => setFile(null)} />;
  return (
    <Page
      title={job.name}
      why="Marks with trusted coordinates: the base stands on one, the checks on the others."
      action={
        <Button kind="primary" large onClick={() => input.current?.click()}>
          <FileUp aria-hidden /> Import control list
        </Button>
      }
      aside={<span className="text-faded">CSV with a name, an east, a north and, if known, a height. Nothing is stored before you accept it.</span>}
    >
      <input
        ref={input}
        type="file"
        aria-label="Control list file"
        accept=".csv,.txt,text/csv"
        className="sr-only"
        onChange={(event) => {
          setFile(event.target.files?.[0] ?? null);
          event.target.value = "";
        }}
      />
      <dl className="mb-5 grid grid-cols-[auto_1fr_auto_1fr] gap-x-6 gap-y-1">
        <dt className="text-faded">System</dt>
        <dd className="font-semibold">
          {job.system_name} (EPSG:{job.system_code})
        </dd>
        <dt className="text-faded">Datum</dt>
        <dd className="font-semibold">{job.datum}</dd>
        <dt className="text-faded">Lengths</dt>
        <dd className="font-semibold">{job.length_unit_word}</dd>
        <dt className="text-faded">Heights</dt>
        <dd className="font-semibold">ellipsoidal; no geoid grid in this job</dd>
      </dl>
      {marks.isError && <Note tone="flag">{sentenceOf(marks.error)}</Note>}
      {marks.data?.length === 0 && <Note>No control yet. Without a known mark nothing can be checked: import the list first.</Note>}
      {marks.data && marks.data.length > 0 && <MarkTable marks={marks.data} unit={job.length_unit} />}
    </Page>
  );
}

function MarkTable({ marks, unit }: { marks: Schemas["Mark"][]; unit: Schemas["Job"]["length_unit"] }) {
  const sign = UNIT_SIGN[unit];
  return (
    <table className="w-full border-collapse bg-page text-right">
      <thead className="border-b-2 border-ink text-base">
        <tr>
          <th className="py-2 pl-3 text-left">Mark</th>
          <th>East {sign}</th>
          <th>North {sign}</th>
          <th>Height {sign}</th>
          <th>± H</th>
          <th>± V</th>
          <th className="pl-6 text-left">Note</th>
        </tr>
      </thead>
      <tbody>
        {marks.map((mark) => (
          <tr key={mark.id} className="h-10 border-b border-line">
            <td className="pl-3 text-left font-bold">{mark.name}</td>
            <td>{length(mark.east_m, unit)}</td>
            <td>{length(mark.north_m, unit)}</td>
            <td>
              {length(mark.height_m, unit)}
              {mark.height_kind === "elevation" && <span className="ml-1 text-sm text-faded">elev.</span>}
            </td>
            <td className="text-faded">{length(mark.sigma_horizontal_m, unit)}</td>
            <td className="text-faded">{length(mark.sigma_vertical_m, unit)}</td>
            <td className="pl-6 text-left">{mark.note}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
