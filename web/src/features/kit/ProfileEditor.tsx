import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useGear, useProfileForm, useProfileVersions, useSaveProfile, useWithdrawProfile } from "../../api/queries";
import { clock, day } from "../../lib/format";
import { Button } from "../../ui/controls";
import { asTyped, FieldForm, type Values } from "../../ui/form";
import { EditorPage } from "../../ui/Page";

export interface Edited {
  values: Values;
  replaces: Schemas["ProfileView"] | null;
}

/** One profile: everything that is to be set at one end. Saving adds a version. */
export function ProfileEditor({ job, edited, onClose }: { job: Schemas["JobView"]; edited: Edited; onClose: () => void }) {
  const form = useProfileForm();
  const gear = useGear();
  const save = useSaveProfile();
  const withdraw = useWithdrawProfile();
  const versions = useProfileVersions(edited.replaces?.line_id ?? "");
  const [values, setValues] = useState(edited.values);
  const problem = problemOf(save.error);
  const fields = form.data?.fields ?? [];
  const choices = Object.fromEntries(
    Object.entries(form.data?.gear_fields ?? {}).map(([field, kind]) => [
      field,
      (gear.data?.items ?? []).filter((item) => item.kind === kind).map((item) => item.name),
    ]),
  );
  const send = () =>
    save.mutate({ values, length_unit: job.length_unit, replaces_id: edited.replaces?.id ?? null }, { onSuccess: onClose });
  return (
    <EditorPage
      title={edited.replaces ? edited.replaces.name : "New profile"}
      why="What both ends must agree in stands under Link."
      keep={edited.replaces ? `Save version ${edited.replaces.version + 1}` : "Save the profile"}
      problem={save.isError ? sentenceOf(save.error) : null}
      busy={save.isPending || withdraw.isPending}
      onKeep={send}
      onClose={onClose}
      onTakeOut={edited.replaces ? () => withdraw.mutate(edited.replaces!.id, { onSuccess: onClose }) : undefined}
    >
      <FieldForm unit={job.length_unit} fields={fields} values={values} onChange={setValues} problem={problem} choices={choices} columns={3} />
      {(versions.data?.length ?? 0) > 1 && (
        <section className="mt-5">
          <h2 className="text-xl font-bold">Versions</h2>
          <ul>
            {versions.data?.map((version) => (
              <li key={version.id} className="flex min-h-touch items-center gap-6 border-b border-line">
                <b>{version.version}</b>
                <span className="flex-1">
                  {version.name}, {day(version.created_s, job.time_zone)} {clock(version.created_s, job.time_zone)}
                </span>
                <Button onClick={() => setValues(asTyped(fields, version.data))}>Fill in</Button>
              </li>
            ))}
          </ul>
        </section>
      )}
    </EditorPage>
  );
}
