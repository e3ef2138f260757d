import { useDeferredValue, useState } from "react";
import { problemOf, type Schemas } from "../../api/client";
import { useBudgetForm, useBudgetOver, useSaveBudget, useTryBudget } from "../../api/chain";
import { length, UNIT_SIGN } from "../../lib/format";
import { BudgetPlan } from "../../plots/BudgetPlan";
import { CardTable } from "../../ui/CardTable";
import { Button, Note, TextField, Toggle } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { SettingsEditor } from "../../ui/SettingsEditor";
import { BudgetNumbers } from "./BudgetNumbers";
import type { ChainViewProps } from "./props";

const NOTHING = { baseline: "", absolute: false, changes: [] as string[], need_horizontal: "", need_vertical: "" };

/** What if: the budget moved live, and the reverse: what reaches a need, the cheapest first. */
export function WhatIfView({ job, tabs }: ChainViewProps) {
  const [request, setRequest] = useState(NOTHING);
  const [editing, setEditing] = useState(false);
  const tried = useTryBudget(job.id, useDeferredValue(request));
  const over = useBudgetOver(job.id, useDeferredValue({ ...NOTHING, absolute: request.absolute, changes: request.changes }));
  const form = useBudgetForm(job.id);
  const save = useSaveBudget(job.id);
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const problem = problemOf(tried.error);
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  if (editing && form.data)
    return (
      <SettingsEditor
        title="What the budget takes"
        why="One sigma of each link where nothing better is known; horizontally per axis. Common practice unless you know better."
        unit={unit}
        view={form.data}
        saving={save}
        onKeep={(kept) => save.mutate(kept, { onSuccess: () => setEditing(false) })}
        onClose={() => setEditing(false)}
      />
    );
  const shown = tried.data;
  return (
    <Page
      title="What if"
      why="Move one thing and see what a point is then good for; or type what is needed."
      tabs={tabs}
      aside={shown?.answer ? <p className={`text-xl font-bold ${shown.reaches === false && shown.ways.length === 0 ? "text-flag" : ""}`}>{shown.answer}</p> : <p className="text-faded">Needed at 95 %: type it, and the cheapest way is named.</p>}
      action={
        <Button className="h-record!" onClick={() => setEditing(true)}>
          What the budget takes
        </Button>
      }
    >
      <div className="grid grid-cols-1 lg:grid-cols-[21rem_minmax(0,1fr)] gap-6">
        <WhatIfFields request={request} set={(more) => setRequest({ ...request, ...more })} shown={shown} unit={unit} at={at} />
        <div className="min-w-0">
          {shown && <Shown shown={shown} unit={unit} />}
          {shown && shown.ways.length > 0 && shown.ways[0]!.changes.length > 0 && (
            <Ways shown={shown} unit={unit} sign={sign} />
          )}
          {over.data?.wash && (
            <section aria-label="Over the plan" className="mt-3">
              <h2 className="font-bold">Over the plan, {over.data.against}</h2>
              <BudgetPlan over={over.data} write={(metres) => `${length(metres, unit)} ${sign}`} />
            </section>
          )}
        </div>
      </div>
    </Page>
  );
}

/** The ways to what is needed, the cheapest first. */
function Ways({ shown, unit, sign }: { shown: Schemas["BudgetShown"]; unit: Schemas["JobView"]["length_unit"]; sign: string }) {
  return (
    <section aria-label="Ways to what is needed" className="mt-3">
      <h2 className="font-bold">Ways there, the cheapest first</h2>
      {shown.ways.map((way) => (
        <Note key={way.changes.join()}>
          {way.changes.join(", ")}: <b>{length(way.horizontal_95_m, unit)} {sign}</b> horizontally, <b>{length(way.vertical_95_m, unit)} {sign}</b> in height
        </Note>
      ))}
    </section>
  );
}

/** What is moved: distance, one thing of the chain, and what is needed. */
function WhatIfFields(props: {
  request: typeof NOTHING;
  set: (more: Partial<typeof NOTHING>) => void;
  shown: Schemas["BudgetShown"] | undefined;
  unit: Schemas["JobView"]["length_unit"];
  at: (field: string) => string | null;
}) {
  const { request, set, shown, unit, at } = props;
  const usual = shown ? `${length(shown.baseline_m, unit, 0)} ${UNIT_SIGN[unit]}` : "";
  return (
    <div className="flex flex-col gap-4">
      <TextField label="Distance from the base" name="baseline" value={request.baseline} onChange={(baseline) => set({ baseline })} placeholder={usual} hint={shown?.where} problem={at("baseline")} />
      <Toggle label="Absolute" value={request.absolute} onChange={(absolute) => set({ absolute })} hint="With the base's own coordinate; else relative to its mark." />
      <fieldset className="grid grid-cols-1 sm:grid-cols-2 gap-x-3">
        <legend className="mb-1 font-semibold">Needed at 95 %</legend>
        <TextField label="horizontal" name="need_horizontal" value={request.need_horizontal} onChange={(need_horizontal) => set({ need_horizontal })} placeholder="15 mm" problem={at("need_horizontal")} />
        <TextField label="in height" name="need_vertical" value={request.need_vertical} onChange={(need_vertical) => set({ need_vertical })} placeholder="30 mm" problem={at("need_vertical")} />
      </fieldset>
      <ChangesOffered shown={shown} changes={request.changes} onChanges={(changes) => set({ changes })} unit={unit} />
    </div>
  );
}

/** What can be moved, each by a press. */
function ChangesOffered(props: {
  shown: Schemas["BudgetShown"] | undefined;
  onChanges: (value: string[]) => void;
  changes: string[];
  unit: Schemas["JobView"]["length_unit"];
}) {
  const { shown, onChanges, changes, unit } = props;
  return (
    <fieldset className="flex flex-col gap-2">
      <legend className="mb-1 font-semibold">If I</legend>
      {shown?.changes.map((change) => (
        <button
          key={change.key}
          type="button"
          aria-pressed={change.done}
          onClick={() => onChanges(changes.includes(change.key) ? changes.filter((item) => item !== change.key) : [...changes, change.key])}
          className={`flex min-h-touch items-center justify-between gap-3 rounded border-2 px-3 text-left ${change.done ? "border-checked bg-checkedwash font-bold" : "border-line bg-page"}`}
        >
          <span>{change.words}</span>
          <span className="text-base whitespace-nowrap text-faded">
            {length(change.horizontal_95_m, unit)}, {length(change.vertical_95_m, unit)}
          </span>
        </button>
      ))}
    </fieldset>
  );
}

function Shown({ shown, unit }: { shown: Schemas["BudgetShown"]; unit: Schemas["JobView"]["length_unit"] }) {
  const sign = UNIT_SIGN[unit];
  return (
    <section aria-label="Budget" className="rounded border-2 border-line bg-page px-4 py-2">
      <BudgetNumbers shown={shown} unit={unit} />
      <CardTable className="mt-1 w-full text-right text-base leading-6">
        <thead>
          <tr className="text-faded">
            <th className="text-left font-semibold">one sigma, {sign}</th>
            <th className="w-24 font-semibold">horizontal</th>
            <th className="w-24 font-semibold">height</th>
            <th className="pl-4 text-left font-semibold">on whose authority</th>
          </tr>
        </thead>
        <tbody>
          {shown.terms.map((term) => (
            <tr key={term.name} className="border-t border-line">
              <td className="text-left font-semibold whitespace-nowrap">{term.words}</td>
              <td>{length(term.horizontal_m, unit, unit === "m" ? 4 : 3)}</td>
              <td>{length(term.vertical_m, unit, unit === "m" ? 4 : 3)}</td>
              <td className="pl-4 text-left text-faded">{term.source}</td>
            </tr>
          ))}
        </tbody>
      </CardTable>
    </section>
  );
}
