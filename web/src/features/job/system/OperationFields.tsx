import { useState } from "react";
import type { Schemas } from "../../../api/client";
import { useOperations, useSystemForms } from "../../../api/queries";
import { Note, Select } from "../../../ui/controls";
import { FieldForm, type Values } from "../../../ui/form";
import type { PartProps } from "./parts";

/** Positions stay in the base's frame unless an operation is chosen here by name. */
export function OperationFields({ job, changes, set, problem }: PartProps) {
  const forms = useSystemForms();
  const [source, setSource] = useState("");
  const operations = useOperations(job.id, source);
  const wish = changes.operation as Values | null | undefined;
  const shift = wish?.shift as Values | undefined;
  return (
    <>
      <Note>
        {job.operation && wish === undefined ? (
          <>
            Positions go through <b>{job.operation}</b>.
          </>
        ) : (
          <>
            Positions are in the frame of the base&apos;s coordinate and are projected within the job&apos;s own datum. Nothing is shifted unless you
            choose an operation here.
          </>
        )}
      </Note>
      <div className="grid grid-cols-1 sm:grid-cols-2 items-start gap-5">
        <Select
          label="Positions come in"
          value={shift ? "shift" : source}
          options={[
            { value: "", label: job.operation ? "as chosen before" : "the job's own datum" },
            ...(job.operation ? [{ value: "none", label: "the job's own datum, no operation" }] : []),
            ...(forms.data?.position_frames ?? []).map((frame) => ({ value: frame, label: frame })),
            { value: "shift", label: "WGS 84, by a shift of my own" },
          ]}
          onChange={(next) => {
            setSource(next === "shift" || next === "none" ? "" : next);
            if (next === "shift") set({ operation: { shift: { convention: "position-vector" } } });
            else if (next === "none") set({ operation: null });
            else if (wish !== undefined) set({ operation: job.operation ? undefined : null } as Schemas["JobChanges"]);
          }}
        />
        {source && (
          <Select
            label="Operation"
            value={String(wish?.name ?? "")}
            options={(operations.data?.operations ?? []).map((item) => ({
              value: item.name,
              label: item.name,
              detail: item.accuracy_m === null ? "accuracy unknown" : `good to ${item.accuracy_m} m`,
            }))}
            onChange={(name) => set({ operation: { source, name } })}
            hint={operationHint(operations.data)}
          />
        )}
      </div>
      {shift && (
        <>
          <p className="text-faded">From the job&apos;s datum to WGS 84: metres, arc-seconds, ppm. Three parameters: leave rotations and scale empty.</p>
          <FieldForm
            unit="m"
            fields={forms.data?.forms.shift ?? []}
            values={shift}
            onChange={(values) => set({ operation: { shift: values } })}
            problem={problem}
            columns={3}
          />
        </>
      )}
    </>
  );
}

function operationHint(found: Schemas["Operations"] | undefined): string {
  if (!found) return "";
  const without = found.without_grid.length ? ` Needs a grid file that is not here: ${found.without_grid.join("; ")}.` : "";
  if (!found.operations.length) return `None is offered: the frames are the same, need the epoch, or are known only as a ballpark.${without}`;
  return without.trim();
}
