import { useDeferredValue, useState } from "react";
import type { Schemas } from "../api/client";
import { useMarks } from "../api/queries";
import { SearchSelect } from "./search";

/** One mark of the control list, found by typing. The mark follows what is corrected in the list. */
export function MarkPicker(props: { jobId: string; label: string; value: Schemas["MarkView"] | null; onPick: (mark: Schemas["MarkView"]) => void }) {
  const [text, setText] = useState("");
  const marks = useMarks(props.jobId, useDeferredValue(text));
  const found = marks.data?.marks ?? [];
  return (
    <SearchSelect
      label={props.label}
      value={props.value && { id: props.value.id, label: props.value.name, detail: "", mark: props.value }}
      found={found.map((mark) => ({ id: mark.id, label: mark.name, detail: mark.note, mark }))}
      more={(marks.data?.matching ?? 0) - found.length}
      onSearch={setText}
      onPick={(item) => props.onPick(item.mark)}
    />
  );
}

/** The mark of that name as it stands now; a correction gives it a new row under the same name. */
export function useMarkNamed(jobId: string, name: string): Schemas["MarkView"] | null {
  const marks = useMarks(jobId, name);
  return (name && marks.data?.marks.find((mark) => mark.name === name)) || null;
}

/** The picked mark as it stands now. */
export function useCurrentMark(jobId: string, picked: Schemas["MarkView"] | null): Schemas["MarkView"] | null {
  return useMarkNamed(jobId, picked?.name ?? "") ?? picked;
}
