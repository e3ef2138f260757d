import { useDeferredValue, useState } from "react";
import { useNavigate } from "react-router";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useCreateJob, useSystems } from "../../api/queries";
import { Button, Note, Select, TextField } from "../../ui/controls";

const UNITS = [
  { value: "m", label: "metre" },
  { value: "ft", label: "international foot", detail: "0.3048 m" },
  { value: "sft", label: "US survey foot", detail: "1200/3937 m" },
];

/** A new job: name, coordinate system found by typing, length unit. */
export function NewJob({ onClose }: { onClose: () => void }) {
  const [name, setName] = useState("");
  const [text, setText] = useState("");
  const [system, setSystem] = useState<Schemas["SystemFound"] | null>(null);
  const [unit, setUnit] = useState("m");
  const create = useCreateJob();
  const navigate = useNavigate();
  const problem = create.error instanceof Problem ? create.error : null;

  const send = () => {
    if (!system) return;
    create.mutate(
      { name, system_code: system.code, length_unit: unit as "m" | "ft" | "sft" },
      { onSuccess: (job) => void navigate(`/job/${job.id}/job`) },
    );
  };

  return (
    <section className="flex flex-col gap-5">
      <h2 className="text-2xl font-bold">New job</h2>
      <TextField
        label="Name"
        name="name"
        value={name}
        onChange={setName}
        autoFocus
        problem={problem?.field === "name" ? problem.sentence : null}
      />
      {system ? (
        <div className="flex items-center justify-between gap-4 rounded border-2 border-checked bg-checkedwash px-4 py-2">
          <span>
            <span className="block font-bold">
              {system.name} (EPSG:{system.code})
            </span>
            <span className="text-faded">{system.area}</span>
          </span>
          <Button onClick={() => setSystem(null)}>Change</Button>
        </div>
      ) : (
        <SystemSearch text={text} onText={setText} onPick={setSystem} />
      )}
      <Select label="Lengths are typed and shown in" value={unit} options={UNITS} onChange={setUnit} />
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

function SystemSearch(props: {
  text: string;
  onText: (text: string) => void;
  onPick: (system: Schemas["SystemFound"]) => void;
}) {
  const found = useSystems(useDeferredValue(props.text));
  return (
    <div>
      <TextField
        label="Coordinate system"
        name="system"
        value={props.text}
        onChange={props.onText}
        placeholder="part of its name, its place or its EPSG code"
        hint="Positions are projected within the datum of this system; no datum shift is applied."
      />
      {found.isError && <Note tone="flag">{sentenceOf(found.error)}</Note>}
      {found.data?.length === 0 && <p className="mt-2">No projected system is named like that.</p>}
      <ul className="mt-2 max-h-64 overflow-auto">
        {found.data?.map((system) => (
          <li key={system.code}>
            <button
              type="button"
              onClick={() => props.onPick(system)}
              className="flex min-h-touch w-full items-center justify-between gap-4 border-b border-line bg-page px-3 py-1 text-left hover:bg-lath/40"
            >
              <span>
                <span className="font-semibold">{system.name}</span>
                {system.deprecated && <span className="ml-2 font-bold text-flag">deprecated</span>}
                <span className="block text-sm text-faded">{system.area}</span>
              </span>
              <span className="text-right whitespace-nowrap">
                {system.code}
                <span className="block text-sm text-faded">{system.unit}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}
