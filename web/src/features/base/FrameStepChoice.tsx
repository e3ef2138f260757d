import type { Schemas } from "../../api/client";
import { Note, Select } from "../../ui/controls";

/** What lies between a declared frame and the job's: the operation to name, or why none leads there. */
export function FrameStepChoice(props: { step: Schemas["FrameStep"] | null | undefined; operation: string; onOperation: (name: string) => void }) {
  const { step } = props;
  if (!step || step.same) return null;
  if (!step.changes.length) return <Note tone="flag">{step.words}</Note>;
  return (
    <Select
      label={step.words}
      value={props.operation}
      options={[
        { value: "", label: "choose the operation" },
        ...step.changes.map((item) => ({ value: item.name, label: `${item.name}${item.accuracy_m === null ? "" : `, good to ${item.accuracy_m} m by the dataset`}` })),
      ]}
      onChange={props.onOperation}
    />
  );
}
