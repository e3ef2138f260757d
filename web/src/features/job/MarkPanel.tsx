import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useChangeMark, useMarkVersions, useSystemForms } from "../../api/queries";
import { clock, day, length, UNIT_SIGN } from "../../lib/format";
import { Button, TextField } from "../../ui/controls";
import { asTyped, FieldForm, type Shown, type Values } from "../../ui/form";
import { Page } from "../../ui/Page";

type Mark = Schemas["MarkView"];

/** What was given of a mark, for the form: lengths in the job's unit, without the place and height that are derived. */
function givenOf(fields: Shown[], mark: Mark): Values {
  const derived = mark.given_as === "grid" ? ["latitude_deg", "longitude_deg"] : ["east_m", "north_m"];
  const values: Values = { ...asTyped(fields, { ...mark }), ...mark.typed };
  for (const name of derived) values[name] = null;
  return values;
}

/** One mark: corrected, taken out, brought back; what it was stays. */
export function MarkPanel({ job, mark, withdrawn, onClose }: { job: Schemas["JobView"]; mark: Mark; withdrawn: boolean; onClose: () => void }) {
  const forms = useSystemForms();
  const versions = useMarkVersions(job.id, mark.id);
  const change = useChangeMark(job.id, mark.id);
  const fields = forms.data?.mark ?? [];
  const [edited, setEdited] = useState<Values | null>(null);
  const [reason, setReason] = useState("");
  const problem = problemOf(change.error);
  const values = edited ?? givenOf(fields, mark);
  const send = (withdraw: boolean) => change.mutate({ values, reason, withdraw }, { onSuccess: onClose });
  const done = withdrawn ? "Bring it back" : "Correct the mark";
  return (
    <Page
      title={mark.name}
      why="A correction is added; every point and check that rests on the mark follows."
      aside={
        <div className="grid grid-cols-[1fr_auto] items-end gap-4">
          <TextField
            label="Why it is changed"
            name="reason"
            value={reason}
            onChange={setReason}
            problem={problem?.field === "reason" ? problem.sentence : null}
          />
          {!withdrawn && (
            <Button kind="danger" disabled={change.isPending} onClick={() => send(true)}>
              Take it out
            </Button>
          )}
        </div>
      }
      action={
        <div className="flex gap-4">
          <Button className="h-record!" onClick={onClose}>
            Back
          </Button>
          <Button kind="primary" large disabled={change.isPending} onClick={() => send(false)}>
            {done}
          </Button>
        </div>
      }
    >
      {change.isError && problem?.field !== "reason" && <p className="mb-3 font-semibold text-flag">{sentenceOf(change.error)}</p>}
      <FieldForm unit={job.length_unit} fields={fields} values={values} onChange={setEdited} problem={problem} columns={3} />
      {(versions.data?.length ?? 0) > 1 && (
        <Versions versions={versions} job={job} setEdited={setEdited} fields={fields} />
      )}
    </Page>
  );
}

/** What the mark was before. */
function Versions(props: {
  versions: ReturnType<typeof useMarkVersions>;
  job: Schemas["JobView"];
  setEdited: (value: Values | null) => void;
  fields: Schemas["FieldShown"][];
}) {
  const { versions, job, setEdited, fields } = props;
  return (
    <section className="mt-5">
      <h2 className="text-xl font-bold">What it was</h2>
      <ul>
        {versions.data?.map((version) => (
          <li key={version.mark.id} className="flex min-h-touch flex-wrap items-center gap-x-6 border-b border-line">
            <span className="text-faded">
              {day(version.created_s, job.time_zone)} {clock(version.created_s, job.time_zone)}
            </span>
            <span>
              {length(version.mark.east_m, job.length_unit)}, {length(version.mark.north_m, job.length_unit)},{" "}
              {length(version.mark.height_m, job.length_unit)} {UNIT_SIGN[job.length_unit]}
            </span>
            <span className="flex-1">{version.withdrawn ? `taken out: ${version.reason}` : version.reason || "as first given"}</span>
            <Button onClick={() => setEdited(givenOf(fields, version.mark))}>Fill in</Button>
          </li>
        ))}
      </ul>
    </section>
  );
}
