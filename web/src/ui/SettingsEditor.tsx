import { useState } from "react";
import { problemOf, type Schemas } from "../api/client";
import { asTyped, FieldForm, type Values } from "./form";
import { EditorPage } from "./Page";

/** Settings of a job that are one form: as they stand, changed, and kept in place of the row that was seen. */
export function SettingsEditor(props: {
  title: string;
  why: string;
  unit: Schemas["JobView"]["length_unit"];
  view: { id: string | null; settings: object; fields: readonly Schemas["FieldShown"][] };
  saving: { isPending: boolean; error: Error | null };
  onKeep: (wish: { values: Values; replaces_id: string | null; length_unit: Schemas["JobView"]["length_unit"] }) => void;
  onClose: () => void;
}) {
  const { view, unit } = props;
  const fields = [...view.fields];
  const [values, setValues] = useState<Values>(() => asTyped(fields, view.settings as Values));
  const problem = problemOf(props.saving.error);
  return (
    <EditorPage
      title={props.title}
      why={props.why}
      keep="Keep"
      problem={problem ? problem.sentence : null}
      busy={props.saving.isPending}
      onKeep={() => props.onKeep({ values, replaces_id: view.id, length_unit: unit })}
      onClose={props.onClose}
    >
      <FieldForm fields={fields} values={values} onChange={setValues} unit={unit} columns={1} problem={problem && { field: problem.field, sentence: problem.sentence }} />
    </EditorPage>
  );
}
