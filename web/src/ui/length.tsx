import { useDeferredValue } from "react";
import { Problem } from "../api/client";
import { useLength } from "../api/queries";
import type { LengthUnit } from "../lib/format";
import { TextField } from "./controls";

/** A length as it is typed, with what is stored beside it; the one reader of lengths is the server's. */
export function LengthField(props: {
  label: string;
  name: string;
  value: string;
  unit: LengthUnit;
  onChange: (text: string) => void;
  hint?: string | undefined;
  problem?: string | null | undefined;
}) {
  const text = useDeferredValue(props.value);
  const read = useLength(text, props.unit);
  const unreadable = text.trim() !== "" && read.error instanceof Problem ? read.error.sentence : null;
  const stored = text.trim() !== "" && read.data ? `stored as ${read.data.words}` : "";
  return (
    <TextField
      label={props.label}
      name={props.name}
      value={props.value}
      onChange={props.onChange}
      problem={props.problem ?? unreadable}
      hint={[stored, props.hint].filter(Boolean).join(". ")}
    />
  );
}
