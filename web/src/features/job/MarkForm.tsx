import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useAddMark, useSystemForms } from "../../api/queries";
import { Button } from "../../ui/controls";
import { FieldForm, type Values } from "../../ui/form";
import { Page } from "../../ui/Page";

/** A mark typed by hand. */
export function MarkForm({ job, onClose }: { job: Schemas["Job"]; onClose: () => void }) {
  const forms = useSystemForms();
  const add = useAddMark(job.id);
  const [values, setValues] = useState<Values>({});
  const problem = add.error instanceof Problem ? add.error : null;
  return (
    <Page
      title="Add a mark"
      why={`East and north, or latitude and longitude in the job's datum. Without a unit: ${job.length_unit_word}.`}
      aside={add.isError && <p className="font-semibold text-flag">{sentenceOf(add.error)}</p>}
      action={
        <div className="flex gap-4">
          <Button className="h-record!" onClick={onClose}>
            Back
          </Button>
          <Button kind="primary" large disabled={add.isPending} onClick={() => add.mutate(values, { onSuccess: onClose })}>
            Add the mark
          </Button>
        </div>
      }
    >
      <FieldForm fields={forms.data?.mark ?? []} values={values} onChange={setValues} problem={problem} columns={3} />
    </Page>
  );
}
