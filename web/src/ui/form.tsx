/** Forms from the server's own description of fields: what is typed stays text until the server reads it. */
import { Plus, X } from "lucide-react";
import type { Schemas } from "../api/client";
import type { LengthUnit } from "../lib/format";
import { Button, Select, TextField, Toggle } from "./controls";
import { LengthField } from "./length";

export type Shown = Schemas["FieldShown"];
export type Values = Record<string, unknown>;

interface FormProps {
  fields: Shown[];
  values: Values;
  onChange: (values: Values) => void;
  /** The field that the server refused, by its path, and why. */
  problem?: { field: string | null; sentence: string } | null | undefined;
  /** Options of text fields that name something else. */
  choices?: Record<string, string[]>;
  /** What a bare length is in. */
  unit: LengthUnit;
  path?: string;
  columns?: 1 | 2 | 3;
}

/** What is stored, as a form has it: lengths with their metre, numbers as text. */
export function asTyped(fields: Shown[], data: Values): Values {
  return Object.fromEntries(fields.map((field) => [field.name, typedValue(field, data[field.name])]));
}

function typedValue(field: Shown, value: unknown): unknown {
  if (value === null || value === undefined) return field.kind === "table" || field.kind === "list" ? [] : null;
  if (field.kind === "length") return `${String(value)} m`;
  if (field.kind === "group") return asTyped(field.fields, value as Values);
  if (field.kind === "table") return (value as Values[]).map((row) => asTyped(field.fields, row));
  return typeof value === "number" ? String(value) : value;
}

/** What the choices beside a field use of it. */
function isUsed({ used_with }: Shown, fields: Shown[], values: Values): boolean {
  if (!used_with) return true;
  const chosen = values[used_with.choice] || fields.find((field) => field.name === used_with.choice)?.options[0];
  return used_with.options.includes(String(chosen));
}

/** An option as people say it. */
export const wordOf = (field: Shown, option: string) => field.option_words[field.options.indexOf(option)] ?? option;

const COLUMNS = { 1: "grid-cols-1", 2: "grid-cols-1 sm:grid-cols-2", 3: "grid-cols-1 sm:grid-cols-3" };

export function FieldForm(props: FormProps) {
  const path = props.path ?? "";
  const wide = (field: Shown) => field.kind === "group" || field.kind === "table" || (field.kind === "list" && field.options.length > 0);
  return (
    <div className={`grid items-start gap-x-5 gap-y-4 ${COLUMNS[props.columns ?? 2]}`}>
      {props.fields.filter((field) => isUsed(field, props.fields, props.values)).map((field) => (
        <div key={field.name} className={wide(field) ? "col-span-full" : "min-w-0"}>
          <OneField
            {...props}
            path={`${path}${field.name}`}
            field={field}
            value={props.values[field.name]}
            onValue={(value) => props.onChange({ ...props.values, [field.name]: value })}
          />
        </div>
      ))}
    </div>
  );
}

type OneProps = Omit<FormProps, "onChange" | "path"> & { path: string; field: Shown; value: unknown; onValue: (value: unknown) => void };

function OneField(props: OneProps) {
  const { field, value, onValue, path } = props;
  const problem = props.problem?.field === path ? props.problem.sentence : null;
  const label = field.unit ? `${field.label} (${field.unit})` : field.label;
  const choices = props.choices?.[field.name];
  if (field.kind === "group") return <Group {...props} />;
  if (field.kind === "table") return <Table {...props} />;
  if (field.kind === "flag")
    return field.optional ? (
      <Select
        label={label}
        value={value === true ? "yes" : value === false ? "no" : ""}
        options={[{ value: "", label: "not set" }, { value: "yes", label: "on" }, { value: "no", label: "off" }]}
        onChange={(word) => onValue(word === "" ? null : word === "yes")}
      />
    ) : (
      <Toggle label={label} value={value === true} onChange={onValue} hint={field.hint} />
    );
  if (field.kind === "choice" || choices) {
    const options = choices ?? field.options;
    const all = field.optional || choices ? ["", ...options] : options;
    const kept = typeof value === "string" && value && !all.includes(value) ? [value] : [];
    return (
      <Select
        label={label}
        value={typeof value === "string" ? value : ""}
        options={[...all, ...kept].map((option) => ({ value: option, label: wordOf(field, option) || "none" }))}
        onChange={(word) => onValue(word || null)}
        hint={problem ? <span className="font-semibold text-flag">{problem}</span> : field.hint}
      />
    );
  }
  if (field.kind === "list" && field.options.length > 0) return <Ticks {...props} />;
  if (field.kind === "length")
    return (
      <LengthField
        label={label}
        name={path}
        value={typeof value === "string" ? value : ""}
        unit={props.unit}
        onChange={onValue}
        hint={field.hint}
        problem={problem}
      />
    );
  const text = Array.isArray(value) ? value.join(", ") : typeof value === "string" ? value : value == null ? "" : String(value);
  return (
    <TextField
      label={label}
      name={path}
      value={text}
      onChange={onValue}
      hint={field.kind === "list" ? `${field.hint} Commas between.`.trim() : field.hint}
      problem={problem}
    />
  );
}

function Ticks({ field, value, onValue }: OneProps) {
  const ticked = Array.isArray(value) ? (value as string[]) : [];
  return (
    <fieldset>
      <legend className="mb-1 font-semibold">{field.label}</legend>
      <div className="flex flex-wrap gap-2">
        {field.options.map((option) => {
          const on = ticked.includes(option);
          return (
            <button
              key={option}
              type="button"
              role="checkbox"
              aria-checked={on}
              onClick={() => onValue(on ? ticked.filter((item) => item !== option) : field.options.filter((item) => item === option || ticked.includes(item)))}
              className={`min-h-touch rounded border-2 px-4 ${on ? "border-checked bg-checkedwash font-bold" : "border-line bg-page"}`}
            >
              {on ? "✓ " : ""}
              {wordOf(field, option)}
            </button>
          );
        })}
      </div>
    </fieldset>
  );
}

function Group(props: OneProps) {
  const { field, value, onValue, path } = props;
  const there = value !== null && value !== undefined;
  return (
    <fieldset className="rounded border-2 border-line bg-page p-4">
      <legend className="px-2 text-xl font-bold">{field.label}</legend>
      {field.optional && (
        <div className={there ? "mb-4" : ""}>
          <Toggle label={`${field.label} set`} value={there} onChange={(on) => onValue(on ? {} : null)} />
        </div>
      )}
      {there && (
        <FieldForm {...props} fields={field.fields} values={value as Values} onChange={onValue} path={`${path}.`} columns={3} />
      )}
    </fieldset>
  );
}

const MOST_BESIDE = 6;

function Table(props: OneProps) {
  const { field, value, onValue, path } = props;
  const rows = Array.isArray(value) ? (value as Values[]) : [];
  const columns = field.fields;
  // What does not fit beside each other stands in lines.
  const many = columns.length > MOST_BESIDE;
  const problem = props.problem?.field?.startsWith(`${path}.`) ? props.problem : null;
  return (
    <fieldset className="rounded border-2 border-line bg-page p-4">
      <legend className="px-2 text-xl font-bold">{field.label}</legend>
      {problem && <p className="mb-2 font-semibold text-flag">{problem.sentence}</p>}
      <div className="flex flex-col gap-2">
        {rows.map((row, at) => (
          <div key={at} className={`flex items-start gap-2 ${many ? "border-b-2 border-line pb-3" : ""}`}>
            <div className={`grid min-w-0 flex-1 items-start gap-2 ${many ? "grid-cols-[repeat(auto-fill,minmax(11rem,1fr))]" : "grid-flow-col auto-cols-fr"}`}>
              {columns.filter((column) => isUsed(column, columns, row)).map((column) => (
                <div key={column.name} className="min-w-0">
                  <OneField
                    {...props}
                    path={`${path}.${at}.${column.name}`}
                    field={{ ...column, hint: "" }}
                    value={row[column.name]}
                    onValue={(cell) => onValue(rows.map((item, n) => (n === at ? { ...item, [column.name]: cell } : item)))}
                  />
                </div>
              ))}
            </div>
            <Button aria-label={`Remove row ${at + 1}`} className="mt-8 px-3!" onClick={() => onValue(rows.filter((_, n) => n !== at))}>
              <X aria-hidden size={18} />
            </Button>
          </div>
        ))}
        <div>
          <Button onClick={() => onValue([...rows, {}])}>
            <Plus aria-hidden size={18} /> Add a row
          </Button>
        </div>
      </div>
    </fieldset>
  );
}
