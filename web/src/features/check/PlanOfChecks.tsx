import { Footprints } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { sentenceOf, type Schemas } from "../../api/client";
import { useCheckSettings, usePlanOfChecks, useSaveCheckSettings, useTellChange } from "../../api/check";
import { clock } from "../../lib/format";
import { CheckPlan } from "../../plots/CheckPlan";
import { Button, LinkButton, Note } from "../../ui/controls";
import { FindingLines } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { PracticeWait } from "../../ui/practice";
import { SettingsEditor } from "../../ui/SettingsEditor";
import { StateMark } from "../../ui/StateMark";
import type { ViewProps } from "../../ui/view";
import { VerdictLine } from "./JobVerdict";

/** The plan of checks: what proves this base, what is still due, and the verdict. */
export function PlanOfChecks({ job, tabs }: ViewProps) {
  const plan = usePlanOfChecks(job.id);
  const settings = useCheckSettings(job.id);
  const [editing, setEditing] = useState(false);
  if (editing && settings.data) return <PlanSettings job={job} view={settings.data} onClose={() => setEditing(false)} />;
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
          <FindingLines findings={view.causes} />
          {view.problem && <Note tone="flag">{view.problem}</Note>}
          {now && now.items.length > 0 && (
            <div className="grid grid-cols-1 lg:grid-cols-[minmax(0,1fr)_17rem] gap-4">
              <Marks job={job} items={now.items} next={next?.mark_id ?? null} />
              <div className="h-64">
                <CheckPlan
                  base={{ name: view.base_mark, eastM: view.base_east_m, northM: view.base_north_m }}
                  marks={now.items.map(({ planned, state }) => ({ id: planned.mark_id, name: planned.mark_name, eastM: planned.east_m, northM: planned.north_m, state }))}
                  ringM={view.far_from_m}
                  ringWords={view.far_words}
                  next={next?.mark_id ?? null}
                />
              </div>
            </div>
          )}
          <FindingLines findings={view.notes} />
          <div className="flex flex-wrap items-center justify-between gap-3">
            {now && <Changes jobId={job.id} changes={view.changes} />}
            {now && !now.due_again && now.due_again_s !== null && <p className="text-faded">all due again at {clock(now.due_again_s, job.time_zone).slice(0, 5)}</p>}
            <Button onClick={() => setEditing(true)}>Marks, times, tolerances</Button>
          </div>
          <PracticeWait jobId={job.id} />
        </div>
      )}
    </Page>
  );
}

function Marks(props: { job: Schemas["JobView"]; items: Schemas["PlannedNow"][]; next: string | null }) {
  return (
    <ul className="flex flex-col gap-2" aria-label="Marks of the plan">
      {props.items.map(({ planned, state, note, tasks }) => (
        <li key={planned.mark_id} className={`rounded border-2 bg-page px-3 py-2 ${planned.mark_id === props.next ? "border-ink" : "border-line"}`}>
          <div className="flex items-center gap-3 small:flex-wrap">
            <StateMark state={state} size={28} />
            <div className="min-w-0 flex-1 small:min-w-56">
              <p className="leading-6">
                <span className="text-xl font-bold">{planned.mark_name}</span> <span className="text-faded">{planned.why}</span>
              </p>
              <p className="flex flex-wrap gap-x-5 leading-6">
                {tasks.map((task) => (
                  <span key={task.name} className={`inline-flex items-center gap-1 ${task.done ? "" : "text-faded"}`}>
                    <StateMark state={task.done ? "checked" : "missing"} size={16} /> {task.words}
                    {!task.done && task.due_s !== null && ` (${clock(task.due_s, props.job.time_zone).slice(0, 5)})`}
                  </span>
                ))}
                {note && <span className={state === "disagrees" ? "font-bold text-flag" : "font-semibold"}>{note}</span>}
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

function PlanSettings(props: { job: Schemas["JobView"]; view: Schemas["CheckSettingsView"]; onClose: () => void }) {
  const save = useSaveCheckSettings(props.job.id);
  return (
    <SettingsEditor
      title="Marks, times, tolerances"
      why="What is empty is proposed from the control list. Checks that were recorded keep their tolerance."
      unit={props.job.length_unit}
      view={props.view}
      saving={save}
      onKeep={(wish) => save.mutate(wish, { onSuccess: props.onClose })}
      onClose={props.onClose}
    />
  );
}
