import { Plus } from "lucide-react";
import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useAddFitMark, useChangeFitMark, useFitFileRead, useFitForm, useFromJob, useKeepFitFile } from "../../api/fit";
import { useJobs } from "../../api/queries";
import { base64Of } from "../../lib/base64";
import { counted, length, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, FileButton, Note, Select, TextField, Toggle } from "../../ui/controls";
import { FieldForm, type Values } from "../../ui/form";
import { EditorPage, Page } from "../../ui/Page";
import type { FitViewProps } from "./props";

type Mark = Schemas["FitMarkView"];

/** The marks with their local coordinates: from a file, from another job, or typed. */
export function MarksView({ job, fit, tabs }: FitViewProps) {
  const [edited, setEdited] = useState<Mark | "new" | null>(null);
  const [file, setFile] = useState<{ name: string; content: string } | null>(null);
  const jobs = useJobs();
  const take = useFromJob(job.id);
  const unit = job.length_unit;
  if (edited) return <MarkEditor job={job} mark={edited === "new" ? null : edited} onClose={() => setEdited(null)} />;
  if (file) return <ListImport job={job} file={file} onClose={() => setFile(null)} />;
  const others = (jobs.data ?? []).filter((other) => other.id !== job.id);
  return (
    <Page
      title="Local coordinates"
      why="As the control gives them. GNSS shots come under the same names."
      tabs={tabs}
      aside={take.isError ? <p className="font-semibold text-flag">{sentenceOf(take.error)}</p> : <p className="text-faded">A CSV, GeoJSON or LandXML list of names and local coordinates, or a table of pairs with GNSS coordinates.</p>}
      action={
        <FileButton
          kind="primary"
          large
          label="List of local coordinates"
          accept=".csv,.txt,.json,.geojson,.xml"
          onFile={(chosen) => void base64Of(chosen).then((content) => setFile({ name: chosen.name, content }))}
        >
          Import a list
        </FileButton>
      }
    >
      <div className="mb-3 flex flex-wrap items-end gap-3">
        <Button onClick={() => setEdited("new")}>
          <Plus aria-hidden size={18} /> Type a mark
        </Button>
        {others.length > 0 && (
          <div className="w-72">
            <Select label="Take over from another job" value="" options={others.map((other) => ({ value: other.id, label: other.name }))} onChange={(id) => take.mutate(id)} />
          </div>
        )}
      </div>
      <LocalMarks fit={fit} unit={unit} setEdited={setEdited} />
      {fit.marks.length === 0 && <Note>No mark yet.</Note>}
      <p className="mt-2 text-faded">All lengths in {UNIT_SIGN[unit]}.</p>
    </Page>
  );
}

/** The marks with their local coordinates. */
function LocalMarks(props: {
  fit: Schemas["FitView"];
  unit: Schemas["JobView"]["length_unit"];
  setEdited: (value: Schemas["FitMarkView"] | "new" | null) => void;
}) {
  const { fit, unit, setEdited } = props;
  return (
    <CardTable className="w-full text-right" aria-label="Local coordinates">
      <thead>
        <tr className="border-b-2 border-line text-faded">
          <th className="py-1 text-left font-semibold">mark</th>
          <th className="font-semibold">local east</th>
          <th className="font-semibold">local north</th>
          <th className="font-semibold">height</th>
          <th className="font-semibold">GNSS east</th>
          <th className="font-semibold">GNSS north</th>
          <th className="font-semibold">ellipsoidal</th>
          <th className="pl-4 text-left font-semibold">measured by</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {fit.marks.map((mark) => (
          <tr key={mark.line_id} className="border-b border-line">
            <td className="py-1 text-left text-xl font-bold">{mark.name}</td>
            <td>{length(mark.local_e_m, unit)}</td>
            <td>{length(mark.local_n_m, unit)}</td>
            <td>{length(mark.local_h_m, unit)}</td>
            <td>{length(mark.gnss_e_m, unit)}</td>
            <td>{length(mark.gnss_n_m, unit)}</td>
            <td>{length(mark.gnss_h_m, unit)}</td>
            <td className="pl-4 text-left text-base text-faded">{mark.origin}</td>
            <td className="py-1 pl-2">
              <Button onClick={() => setEdited(mark)}>correct</Button>
            </td>
          </tr>
        ))}
      </tbody>
    </CardTable>
  );
}

function MarkEditor({ job, mark, onClose }: { job: Schemas["JobView"]; mark: Mark | null; onClose: () => void }) {
  const form = useFitForm();
  const add = useAddFitMark(job.id);
  const change = useChangeFitMark(job.id, mark?.line_id ?? "");
  const [values, setValues] = useState<Values>(() => (mark ? { name: mark.name, ...mark.typed } : {}));
  const [reason, setReason] = useState("");
  const [atBase, setAtBase] = useState(false);
  const saving = mark ? change : add;
  const problem = problemOf(saving.error);
  const done = { onSuccess: onClose };
  const keep = () => (mark ? change.mutate({ replaces_id: mark.id, values, withdraw: false, reason }, done) : add.mutate({ values, at_base: atBase }, done));
  return (
    <EditorPage
      title={mark ? `Correct ${mark.name}` : "A mark with local coordinates"}
      why="What it was stays in the Book."
      keep="Keep"
      problem={problem && !problem.field ? problem.sentence : null}
      busy={saving.isPending}
      onKeep={keep}
      onClose={onClose}
      onTakeOut={mark ? () => change.mutate({ replaces_id: mark.id, values: {}, withdraw: true, reason }, done) : undefined}
    >
      <div className="flex max-w-3xl flex-col gap-4">
        {form.data && <FieldForm fields={[...form.data.fields]} values={values} onChange={setValues} unit={job.length_unit} columns={3} problem={problem && { field: problem.field, sentence: problem.sentence }} />}
        {mark ? (
          <TextField label="Why" name="reason" value={reason} onChange={setReason} />
        ) : (
          <Toggle label="The base that runs stands on it" value={atBase} onChange={setAtBase} hint="Its GNSS side is the base's own coordinate: one mark alone is the smallest fit." />
        )}
      </div>
    </EditorPage>
  );
}

const UNITS = [
  { value: "m", label: "metres" },
  { value: "ft", label: "international feet" },
  { value: "sft", label: "US survey feet" },
];

function ListImport({ job, file, onClose }: { job: Schemas["JobView"]; file: { name: string; content: string }; onClose: () => void }) {
  const [unit, setUnit] = useState<Schemas["JobView"]["length_unit"] | null>(null);
  const body = { name: file.name, content_base64: file.content, unit };
  const read = useFitFileRead(job.id, body);
  const keep = useKeepFitFile(job.id);
  const data = read.data;
  const problem = keep.error ?? read.error;
  return (
    <Page
      title={`Import ${file.name}`}
      why="Nothing is stored yet."
      aside={
        problem ? (
          <p className="font-semibold text-flag">{sentenceOf(problem)}</p>
        ) : (
          data && (
            <p>
              <span className="font-bold">{counted(data.accepted, "mark")} can be taken</span>
              {data.refused > 0 && <span className="ml-3 font-bold text-flag">{data.refused} refused, with the reason</span>}
              <span className="ml-3 text-faded">read as {data.what}</span>
            </p>
          )
        )
      }
      action={
        <div className="flex gap-4">
          <Button className="h-record!" onClick={onClose}>
            Back
          </Button>
          <Button kind="primary" large disabled={!data || data.accepted === 0 || data.questions.length > 0 || keep.isPending} onClick={() => keep.mutate({ ...body, keep: true }, { onSuccess: onClose })}>
            Take {counted(data?.accepted ?? 0, "mark")}
          </Button>
        </div>
      }
    >
      {data && (
        <>
          <div className="mb-3 w-72">
            <Select label="Numbers are in" value={data.unit} options={UNITS} onChange={(next) => setUnit(next as Schemas["JobView"]["length_unit"])} />
          </div>
          {data.questions.map((question) => (
            <Note key={question} tone="flag">
              {question}
            </Note>
          ))}
          <ListLines data={data} job={job} />
        </>
      )}
    </Page>
  );
}

/** The lines of a file, as they would be taken. */
function ListLines({ data, job }: { data: Schemas["FitFileRead"]; job: Schemas["JobView"] }) {
  return (
    <CardTable className="w-full text-right" aria-label="Lines of the list">
      <thead>
        <tr className="border-b-2 border-line text-faded">
          <th className="text-left font-semibold">line</th>
          <th className="text-left font-semibold">mark</th>
          <th className="font-semibold">local east</th>
          <th className="font-semibold">local north</th>
          <th className="font-semibold">height</th>
          <th className="pl-4 text-left font-semibold">GNSS side</th>
        </tr>
      </thead>
      <tbody>
        {data.rows.map((row) => (
          <tr key={row.line} className="border-b border-line">
            <td className="py-1 text-left">{row.line}</td>
            <td className="text-left font-bold">{row.name}</td>
            {row.refusal ? (
              <td colSpan={4} className="text-left font-semibold text-flag">
                {row.refusal}
              </td>
            ) : (
              <>
                <td>{length(row.local_e_m, job.length_unit)}</td>
                <td>{length(row.local_n_m, job.length_unit)}</td>
                <td>{length(row.local_h_m, job.length_unit)}</td>
                <td className="pl-4 text-left text-faded">{row.has_gnss ? "in the file" : "to be measured"}</td>
              </>
            )}
          </tr>
        ))}
      </tbody>
    </CardTable>
  );
}
