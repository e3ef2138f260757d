import { useState } from "react";
import { Problem, type Schemas } from "../../api/client";
import { useSaveShotSettings } from "../../api/watch";
import { asTyped, FieldForm, type Values } from "../../ui/form";
import { EditorPage } from "../../ui/Page";

/** The kinds of shot with their limits, and the crew's codes. */
export function ShotKinds(props: { job: Schemas["JobView"]; tabs: React.ReactNode; view: Schemas["ShotSettingsView"]; onClose: () => void }) {
  const { job, view } = props;
  const save = useSaveShotSettings(job.id);
  const [values, setValues] = useState<Values>(() => asTyped(view.fields, view.settings as unknown as Values));
  const problem = save.error instanceof Problem ? save.error : null;
  return (
    <EditorPage
      title="Kinds and codes"
      why="A limit that is empty holds nothing back. What was recorded stays as it is."
      keep="Keep"
      problem={problem ? problem.sentence : null}
      busy={save.isPending}
      onKeep={() => save.mutate({ values, replaces_id: view.id, length_unit: job.length_unit }, { onSuccess: props.onClose })}
      onClose={props.onClose}
    >
      <FieldForm fields={view.fields} values={values} onChange={setValues} unit={job.length_unit} columns={1} problem={problem && { field: problem.field, sentence: problem.sentence }} />
    </EditorPage>
  );
}
