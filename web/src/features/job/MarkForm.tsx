import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useAddMark, useSystemForms } from "../../api/queries";
import { FieldForm, type Values } from "../../ui/form";
import { EditorPage } from "../../ui/Page";

/** A mark typed by hand. */
export function MarkForm({ job, onClose }: { job: Schemas["JobView"]; onClose: () => void }) {
  const forms = useSystemForms();
  const add = useAddMark(job.id);
  const [values, setValues] = useState<Values>({});
  const problem = add.error instanceof Problem ? add.error : null;
  return (
    <EditorPage
      title="Add a mark"
      why={`East and north, or latitude and longitude in the job's datum. LeaveOneOut a unit: ${job.length_unit_word}.`}
      keep="Add the mark"
      problem={add.isError ? sentenceOf(add.error) : null}
      busy={add.isPending}
      onKeep={() => add.mutate(values, { onSuccess: onClose })}
      onClose={onClose}
    >
      <FieldForm unit={job.length_unit} fields={forms.data?.mark ?? []} values={values} onChange={setValues} problem={problem} columns={3} />
    </EditorPage>
  );
}
