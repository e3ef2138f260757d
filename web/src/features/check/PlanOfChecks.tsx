import { Footprints } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useCheckSettings, usePlanOfChecks, useSaveCheckSettings, useTellChange } from "../../api/check";
import { METRES } from "../../lib/format";
import { CheckPlan } from "../../plots/CheckPlan";
import { Button, LinkButton, Note } from "../../ui/controls";
import { asTyped, FieldForm, type Values } from "../../ui/form";
import { FindingLines } from "../../ui/findings";
import { EditorPage, Page } from "../../ui/Page";
import { StateMark } from "../../ui/StateMark";
import type { CheckViewProps } from "./CheckPage";
import { VerdictLine } from "./JobVerdict";

const FAR_M = 1000;

/** The plan of checks: what proves this base, what is still due, and the verdict. */
export function PlanOfChecks({ job, tabs }: CheckViewProps) {
  const plan = usePlanOfChecks(job.id);
  const settings = useCheckSettings(job.id);
  const [editing, setEditing] = useState(false);
  if (editing && settings.data) return <SettingsEditor job={job} tabs={tabs} view={settings.data} onClose={() => setEditing(false)} />;
  const view = plan.data;
  const now = view?.plan;
  const next = now?.next;
  return (
    <Page
      title="Plan"
      why="Near, far and heights; each again after a new initialisation, and later."
      tabs={tabs}
      aside={next ? <p className="text-xl font-bold">{next.words}</p> : <p className="text-faded">{view?.problem || now?.lacks || now?.why}</p>}
      action={next && <LinkButton to={`/job/${job.id}/check?mark=${encodeURIComponent(next.mark_name)}`}>Check {next.mark_name}</LinkButton>}
    >
      {plan.isError && <Note tone="flag">{sentenceOf(plan.error)}</Note>}
      {view && (
        <div className="flex flex-col gap-3">
          <VerdictLine verdict={view.verdict} />
          <FindingLines findings={view.findings.filter((item) => item.severity !== "note")} />
          {view.problem && <Note tone="flag">{view.problem}</Note>}
          {now && now.items.length > 0 && (
            <div className="grid grid-cols-[minmax(0,1fr)_17rem] gap-4">
              <Marks job={job} items={now.items} next={next?.mark_id ?? null} />
              <div className="h-64">
                <CheckPlan
                  base={{ name: view.base_mark, eastM: view.base_east_m, northM: view.base_north_m }}
                  marks={now.items.map(({ planned, state }) => ({ id: planned.mark_id, name: planned.mark_name, eastM: planned.east_m, northM: planned.north_m, state }))}
                  ringM={FAR_M}
                  ringWords={job.length_unit === "m" ? "1 km" : `${(FAR_M / METRES[job.length_unit]).toFixed(0)} ft`}
                  next={next?.mark_id ?? null}
                />
              </div>
            </div>
          )}
          <FindingLines findings={view.findings.filter((item) => item.severity === "note")} />
          <div className="flex flex-wrap items-center justify-between gap-3">
            {now && <Changes jobId={job.id} changes={view.changes} />}
            <Button onClick={() => setEditing(true)}>Marks, times, tolerances</Button>
          </div>
        </div>
      )}
    </Page>
  );
}

function Marks(props: { job: Schemas["JobView"]; items: Schemas["PlannedNow"][]; next: string | null }) {
  return (
    <ul className="flex flex-col gap-2" aria-label="Marks of the plan">
      {props.items.map(({ planned, state, why, tasks }) => (
        <li key={planned.mark_id} className={`rounded border-2 bg-page px-3 py-2 ${planned.mark_id === props.next ? "border-ink" : "border-line"}`}>
          <div className="flex items-center gap-3">
            <StateMark state={state} size={28} />
            <div className="min-w-0 flex-1">
              <p className="leading-6">
                <span className="text-xl font-bold">{planned.mark_name}</span> <span className="text-faded">{planned.why}</span>
              </p>
              <p className="flex flex-wrap gap-x-5 leading-6">
                {tasks.map((task) => (
                  <span key={task.name} className={`inline-flex items-center gap-1 ${task.done ? "" : "text-faded"}`}>
                    <StateMark state={task.done ? "checked" : "missing"} size={16} /> {task.words}
                  </span>
                ))}
                {(state === "disagrees" || state === "out of date" || (state === "entered" && !tasks[0]?.done)) && (
                  <span className={state === "disagrees" ? "font-bold text-flag" : "font-semibold"}>{why}</span>
                )}
              </p>
            </div>
            <Link
              to={`/job/${props.job.id}/watch?view=go&mark=${encodeURIComponent(planned.mark_name)}`}
              className="inline-flex h-touch items-center gap-2 rounded border-2 border-line px-3 font-semibold whitespace-nowrap"
            >
              <Footprints aria-hidden size={20} /> walk there
            </Link>
          </div>
        </li>
      ))}
    </ul>
  );
}

function Changes({ jobId, changes }: { jobId: string; changes: Schemas["ChangeOffered"][] }) {
  const tell = useTellChange(jobId);
  return (
    <div className="flex flex-wrap items-center gap-2" role="group" aria-label="Changed at the base">
      <span className="font-semibold">Changed at the base:</span>
      {changes.map(({ kind, word }) => (
        <Button key={kind} disabled={tell.isPending} onClick={() => tell.mutate({ kind })}>
          {word}
        </Button>
      ))}
      {tell.isError && <p className="font-semibold text-flag">{sentenceOf(tell.error)}</p>}
    </div>
  );
}

function SettingsEditor(props: CheckViewProps & { view: Schemas["CheckSettingsView"]; onClose: () => void }) {
  const { job, view } = props;
  const save = useSaveCheckSettings(job.id);
  const [values, setValues] = useState<Values>(() => asTyped(view.fields, view.settings as unknown as Values));
  const problem = save.error instanceof Problem ? save.error : null;
  return (
    <EditorPage
      title="Marks, times, tolerances"
      why="What is empty is proposed from the control list. Checks that were recorded keep their tolerance."
      keep="Keep"
      problem={problem ? problem.sentence : null}
      busy={save.isPending}
      onKeep={() => save.mutate({ values, replaces_id: view.id, length_unit: job.length_unit }, { onSuccess: props.onClose })}
      onClose={props.onClose}
    >
      <FieldForm fields={view.fields} values={values} onChange={setValues} unit={job.length_unit} columns={1} problem={problem && { field: problem.field, sentence: problem.sentence }} />
    </EditorPage>
  );
}
