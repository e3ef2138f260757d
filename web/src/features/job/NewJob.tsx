import { useState } from "react";
import { useNavigate } from "react-router";
import { problemOf, sentenceOf } from "../../api/client";
import { useCreateJob } from "../../api/queries";
import type { LengthUnit } from "../../lib/format";
import { Button, Note, Select, TextField } from "../../ui/controls";
import { SystemChooser, type ChosenSystem } from "./SystemChooser";

export const UNITS = [
  { value: "m", label: "metre" },
  { value: "ft", label: "international foot", detail: "0.3048 m" },
  { value: "sft", label: "US survey foot", detail: "1200/3937 m" },
];

/** A new job: name, length unit, coordinate system. The rest can wait. */
export function NewJob({ onClose }: { onClose: () => void }) {
  const [name, setName] = useState("");
  const [system, setSystem] = useState<ChosenSystem | null>(null);
  const [place, setPlace] = useState({ latitude: "", longitude: "" });
  const [unit, setUnit] = useState<LengthUnit>("m");
  const create = useCreateJob();
  const navigate = useNavigate();
  const problem = problemOf(create.error);

  const send = () => {
    if (!system) return;
    const typed = place.latitude.trim() && place.longitude.trim() ? place : {};
    const operation = system.operation ? { operation: system.operation } : {};
    create.mutate({ name, system: system.wish, length_unit: unit, ...operation, ...typed }, { onSuccess: (job) => void navigate(`/job/${job.id}/job`) });
  };

  return (
    <section className="flex flex-col gap-5">
      <h2 className="text-2xl font-bold">New job</h2>
      <div className="grid grid-cols-1 lg:grid-cols-[1fr_18rem] items-start gap-5">
        <TextField
          label="Name"
          name="name"
          value={name}
          onChange={setName}
          autoFocus
          problem={problem?.field === "name" ? problem.sentence : null}
        />
        <Select label="Lengths are typed and shown in" value={unit} options={UNITS} onChange={(next) => setUnit(next as LengthUnit)} />
      </div>
      <SystemChooser unit={unit} chosen={system} onChoose={setSystem} place={place} onPlace={setPlace} />
      {create.isError && problem?.field !== "name" && <Note tone="flag">{sentenceOf(create.error)}</Note>}
      <div className="flex justify-end gap-4">
        <Button onClick={onClose} className="h-record!">
          Back
        </Button>
        <Button kind="primary" large disabled={!system || !name.trim() || create.isPending} onClick={send}>
          Make the job
        </Button>
      </div>
    </section>
  );
}
