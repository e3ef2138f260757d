import { useState } from "react";
import type { Schemas } from "../../../api/client";
import { useSystemForms } from "../../../api/queries";
import { Button } from "../../../ui/controls";
import { asTyped, FieldForm, type Values } from "../../../ui/form";
import { MarkPicker } from "../../../ui/marks";
import type { PartProps } from "./parts";

/** Ground distances about an origin, or those of the grid. */
export function GroundFields({ job, view, changes, set, problem }: PartProps & { view: Schemas["SystemView"] | undefined }) {
  const forms = useSystemForms();
  const fields = forms.data?.forms.ground ?? [];
  const before = job.ground ? asTyped(fields, job.ground as unknown as Values) : null;
  const ground = changes.ground === undefined ? before : (changes.ground as Values | null);
  const factor = view?.factors?.combined_factor;
  const [origin, setOrigin] = useState<Schemas["MarkView"] | null>(null);
  return (
    <>
      <div className="flex items-center justify-between gap-4">
        <p className="text-faded">
          {ground
            ? "Coordinates are stretched to the ground about the origin, which keeps its grid coordinates."
            : "Coordinates are those of the grid. For distances as taped, divide by a project combined factor about a named origin."}
        </p>
        <Button
          className="shrink-0"
          onClick={() => set({ ground: ground ? null : { origin_name: "", combined_factor: factor ? factor.toFixed(8) : "" } })}
        >
          {ground ? "Grid distances" : "Ground distances"}
        </Button>
      </div>
      {ground && !job.ground && (
        <MarkPicker
          jobId={job.id}
          label="Origin: a mark of the list"
          value={origin}
          onPick={(mark) => {
            setOrigin(mark);
            set({ ground: { ...ground, origin_name: mark.name, east_m: mark.typed.east_m ?? `${mark.east_m} m`, north_m: mark.typed.north_m ?? `${mark.north_m} m` } });
          }}
        />
      )}
      {ground && <FieldForm unit={job.length_unit} fields={fields} values={ground} onChange={(values) => set({ ground: values })} problem={problem} columns={2} />}
    </>
  );
}
