import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { answer, client, sentenceOf, type Schemas } from "../../api/client";
import { useAcceptControl, useSystemForms } from "../../api/queries";
import { base64Of } from "../../lib/base64";
import { counted, latitude, length, longitude, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, Note, Select } from "../../ui/controls";
import { FindingLines } from "../../ui/findings";
import { FieldForm, type Values } from "../../ui/form";
import { Page } from "../../ui/Page";

const ROLES = [
  { value: "name", label: "Name" },
  { value: "east", label: "East" },
  { value: "north", label: "North" },
  { value: "latitude", label: "Latitude" },
  { value: "longitude", label: "Longitude" },
  { value: "height", label: "Height" },
  { value: "elevation", label: "Elevation" },
  { value: "ellipsoidal_height", label: "Ellipsoidal height" },
  { value: "sigma_horizontal", label: "± horizontal" },
  { value: "sigma_vertical", label: "± vertical" },
  { value: "order", label: "Order" },
  { value: "source", label: "Source" },
  { value: "note", label: "Note" },
  { value: "check_only", label: "Check only" },
  { value: "ignored", label: "Left out" },
];
const UNITS = [
  { value: "m", label: "metres" },
  { value: "ft", label: "international feet" },
  { value: "sft", label: "US survey feet" },
];
const LINE_WISHES = [
  { value: "", label: "as read" },
  { value: "exchange", label: "exchanged" },
  { value: "correct", label: "corrected" },
  { value: "leave out", label: "left out" },
];
type Said = Pick<Schemas["ControlFile"], "unit" | "roles" | "height_kind" | "lines">;
const KINDS = [
  { value: "ellipsoidal", label: "ellipsoidal heights" },
  { value: "elevation", label: "elevations" },
];

/** How a file would be read, line by line, before anything is stored. */
export function ControlImport({ job, file, onClose }: { job: Schemas["JobView"]; file: File; onClose: () => void }) {
  const [said, setSaid] = useState<Said>({});
  const [correcting, setCorrecting] = useState<Schemas["ControlRow"] | null>(null);
  const body = useControlFile(file, said);
  const preview = usePreview(job.id, file, said, body.data);
  const accept = useAcceptControl(job.id);
  const data = preview.data;
  return (
    <Page
      title={`Import ${file.name}`}
      why="Nothing is stored yet."
      aside={
        data && <PreviewCount data={data} />
      }
      action={
        <div className="flex gap-4">
          <Button className="h-record!" onClick={onClose}>
            Back
          </Button>
          <Button
            kind="primary"
            large
            disabled={!data || !body.data || data.accepted === 0 || data.questions.length > 0 || accept.isPending || preview.isError}
            onClick={() => body.data && accept.mutate(body.data, { onSuccess: onClose })}
          >
            Take {counted(data?.accepted ?? 0, "mark")}
          </Button>
        </div>
      }
    >
      {preview.isPending && <p>Reading the file.</p>}
      {(preview.isError || body.isError) && <Note tone="flag">{sentenceOf(preview.error ?? body.error)}</Note>}
      {accept.isError && <Note tone="flag">{sentenceOf(accept.error)}</Note>}
      {data && !preview.isError && (
        <>
          <FileMeaning data={data} setSaid={setSaid} said={said} />
          <PreviewDoubts data={data} />
          {correcting && (
            <LineForm
              key={correcting.line}
              job={job}
              row={correcting}
              onClose={() => setCorrecting(null)}
              onKeep={(values) => {
                setSaid(saying(said, correcting.line, "correct", values));
                setCorrecting(null);
              }}
            />
          )}
          <PreviewTable
            data={data}
            onLine={(row, wish) => (wish === "correct" ? setCorrecting(row) : setSaid(saying(said, row.line, wish)))}
            unit={job.length_unit}
            onRole={(place, role) => setSaid({ ...said, roles: rolesWith(data, place, role) })}
          />
        </>
      )}
    </Page>
  );
}

/** How the file would be read with what has been said of it; the last answer stays until the next is there. */
function usePreview(jobId: string, file: File, said: Said, body: Schemas["ControlFile"] | undefined) {
  return useQuery({
    queryKey: ["preview", jobId, file.name, file.lastModified, said],
    queryFn: () => answer(client.POST("/api/jobs/{job_id}/control/preview", { params: { path: { job_id: jobId } }, body: body! })),
    enabled: body !== undefined,
    retry: false,
    placeholderData: (last: Schemas["ControlPreview"] | undefined) => last,
  });
}

/** What each column is taken for, once one of them is: no other one is the same. */
function rolesWith(data: Schemas["ControlPreview"], place: number, role: string): string[] {
  return data.columns.map((column, at) => (at === place ? role : column.role === role && role !== "ignored" ? "ignored" : column.role));
}

/** What must be said before the list can be taken, and what speaks against lines of it. */
function PreviewDoubts({ data }: { data: Schemas["ControlPreview"] }) {
  return (
    <>
      {data.questions.map((question) => (
        <div key={question} className="mb-3">
          <Note tone="flag">{question}</Note>
        </div>
      ))}
      {data.findings.length > 0 && (
        <div className="mb-4">
          <FindingLines findings={data.findings} />
        </div>
      )}
    </>
  );
}

/** What the numbers of the file are in. */
function FileMeaning({ data, setSaid, said }: { data: Schemas["ControlPreview"]; setSaid: (value: Said) => void; said: Said }) {
  return (
    <div className="mb-4 grid grid-cols-1 sm:grid-cols-3 gap-4">
      <Select
        label="Numbers are in"
        value={data.unit}
        options={UNITS}
        onChange={(unit) => setSaid({ ...said, unit: unit as "m" | "ft" | "sft" })}
      />
      {data.asks_height_kind && (
        <Select
          label="Heights are"
          value={data.height_kind ?? ""}
          options={KINDS}
          onChange={(height_kind) => setSaid({ ...said, height_kind: height_kind as "ellipsoidal" | "elevation" })}
        />
      )}
    </div>
  );
}

/** How many lines can be taken, and how the file was read. */
function PreviewCount({ data }: { data: Schemas["ControlPreview"] }) {
  return (
    <p>
      <span className="font-bold">{counted(data.accepted, "line")} can be taken</span>
      {data.refused > 0 && <span className="ml-3 font-bold text-flag">{data.refused} refused, with the reason</span>}
      <span className="ml-3 text-faded">
        {data.format}
        {data.delimiter && `, ${data.encoding}, separated by ${data.delimiter}`}
        {data.unit_stated ? ", the file says its unit" : ", the file does not say its unit"}
      </span>
    </p>
  );
}

/** What is said of one line takes the place of what was said of it before; `as read` takes it back. */
function saying(said: Said, line: number, wish: Schemas["LineSaid"]["wish"] | "", values: Values = {}): Said {
  const others = (said.lines ?? []).filter((item) => item.line !== line);
  return { ...said, lines: wish === "" ? others : [...others, { line, wish, values }] };
}

/** One line corrected by hand, before the list is taken. */
function LineForm(props: { job: Schemas["JobView"]; row: Schemas["ControlRow"]; onKeep: (values: Values) => void; onClose: () => void }) {
  const forms = useSystemForms();
  const [values, setValues] = useState<Values>(props.row.typed);
  return (
    <section className="mb-4 rounded border-2 border-ink bg-page p-3" aria-label={`Line ${props.row.line}`}>
      <h2 className="text-xl font-bold">Line {props.row.line}</h2>
      <p className="mb-2 text-faded">As it stands in the file: {props.row.cells.join(" | ")}</p>
      <FieldForm unit={props.job.length_unit} fields={forms.data?.mark ?? []} values={values} onChange={setValues} columns={3} />
      <div className="mt-3 flex gap-3">
        <Button onClick={props.onClose}>Leave it as it was</Button>
        <Button kind="primary" onClick={() => props.onKeep(values)}>
          Use this line
        </Button>
      </div>
    </section>
  );
}

function useControlFile(file: File, said: Said) {
  const content = useQuery({
    queryKey: ["file", file.name, file.lastModified, file.size],
    queryFn: () => base64Of(file),
    staleTime: Infinity,
  });
  const data: Schemas["ControlFile"] | undefined =
    content.data === undefined ? undefined : { name: file.name, content_base64: content.data, ...said };
  return { data, isError: content.isError, error: content.error };
}

function PreviewTable(props: {
  data: Schemas["ControlPreview"];
  unit: Schemas["JobView"]["length_unit"];
  onRole: (place: number, role: string) => void;
  onLine: (row: Schemas["ControlRow"], wish: Schemas["LineSaid"]["wish"] | "") => void;
}) {
  const { data, unit } = props;
  // Formats without columns of their own still show what stood in the file.
  const columns = data.columns.length ? data.columns : [...Array(Math.max(0, ...data.rows.map((row) => row.cells.length))).keys()];
  return (
    <CardTable className="w-full border-collapse bg-page text-base">
      <PreviewHead data={data} columns={columns} onRole={props.onRole} unit={unit} />
      <tbody>
        {data.rows.map((row) => (
          <tr key={row.line} className={`border-b border-line ${row.accepted ? "" : "bg-flagwash"}`}>
            <td className="p-2">{row.line}</td>
            {columns.map((_, place) => (
              <td key={place} className="max-w-48 truncate p-2">
                {row.cells[place] ?? ""}
              </td>
            ))}
            <td className="p-2 text-right">
              {row.mark ? (
                <>
                  <ReadAs mark={row.mark} unit={unit} />
                  {row.remark && <span className="block font-semibold text-flag">{row.remark}</span>}
                </>
              ) : (
                <span className="font-semibold text-flag">{row.refusal}</span>
              )}
            </td>
            <td className="w-44 p-2">
              <Select
                compact
                label={`Line ${row.line} is`}
                value={row.said}
                options={LINE_WISHES}
                onChange={(wish) => props.onLine(row, wish as Schemas["LineSaid"]["wish"] | "")}
              />
            </td>
          </tr>
        ))}
      </tbody>
    </CardTable>
  );
}

/** The columns, and what each is taken for. */
function PreviewHead(props: {
  data: Schemas["ControlPreview"];
  columns: unknown[];
  onRole: (place: number, role: string) => void;
  unit: Schemas["JobView"]["length_unit"];
}) {
  const { data, columns, onRole, unit } = props;
  return (
    <thead>
      <tr className="border-b-2 border-ink align-bottom">
        <th className="p-2 text-left">Line</th>
        {data.columns.length === 0 && columns.map((_, place) => <th key={place} />)}
        {data.columns.map((column, place) => (
          <th key={place} className="min-w-32 p-1 text-left">
            <span className="block px-1 font-normal text-faded">{column.header ?? `column ${place + 1}`}</span>
            <Select
              compact
              label={`Column ${place + 1} is`}
              value={column.role}
              options={ROLES}
              onChange={(role) => onRole(place, role)}
            />
          </th>
        ))}
        <th className="p-2 text-right">Read as ({UNIT_SIGN[unit]})</th>
        <th className="p-2 text-left">This line</th>
      </tr>
    </thead>
  );
}

function ReadAs({ mark, unit }: { mark: Schemas["GivenMark"]; unit: Schemas["JobView"]["length_unit"] }) {
  const place =
    mark.east_m === null
      ? `${latitude(mark.latitude_deg ?? 0)} ${longitude(mark.longitude_deg ?? 0)}`
      : `east ${length(mark.east_m, unit)}, north ${length(mark.north_m, unit)}`;
  const height = mark.height_m === null ? "" : `, ${mark.height_kind ?? "height"} ${length(mark.height_m, unit)}`;
  return (
    <>
      {place}
      {height}
    </>
  );
}
