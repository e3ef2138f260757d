import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useAddMark, useSystemForms } from "../../api/queries";
import { FieldForm, type Values } from "../../ui/form";
import { EditorPage } from "../../ui/Page";

/** A mark typed by hand. */
export function MarkForm({ job, onClose }: { job: Schemas["JobView"]; onClose: () => void }) {
  const forms = useSystemForms();
  const add = useAddMark(job.id);
  const [values, setValues] = useState<Values>({});
  const problem = problemOf(add.error);
  return (
    <EditorPage
      title="Add a mark"
      why={`East and north, or latitude and longitude in the job's datum. Without a unit: ${job.length_unit_word}.`}
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
