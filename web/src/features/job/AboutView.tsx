import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useChangeJob, useCopyJob } from "../../api/queries";
import { Button, TextField, Toggle } from "../../ui/controls";
import { Page } from "../../ui/Page";
import type { ViewProps } from "../../ui/view";

const FIELDS = [
  { name: "name", label: "Name" },
  { name: "task", label: "Task" },
  { name: "client", label: "Client" },
  { name: "crew", label: "Crew" },
  { name: "time_zone", label: "Time zone", hint: "Europe/Dublin, America/New_York, UTC" },
] as const;

/** What the job is about; copy it as a template, put it away. */
export function AboutView({ job, tabs }: ViewProps) {
  const change = useChangeJob(job);
  const [changes, setChanges] = useState<Schemas["JobChanges"]>({});
  const problem = problemOf(change.error);
  const navigate = useNavigate();
  return (
    <Page
      title={job.name}
      why={job.practice ? "A practice job: its devices are stand-ins." : "Days and set-ups add up in one job; the Book keeps their order."}
      tabs={tabs}
      aside={change.isError && !problem?.field && <p className="font-semibold text-flag">{sentenceOf(change.error)}</p>}
      action={
        <Button kind="primary" large disabled={Object.keys(changes).length === 0 || change.isPending} onClick={() => change.mutate(changes)}>
          Keep the changes
        </Button>
      }
    >
      <div className="grid grid-cols-1 sm:grid-cols-2 items-start gap-x-6 gap-y-4">
        {FIELDS.map((field) => (
          <TextField
            key={field.name}
            label={field.label}
            name={field.name}
            value={changes[field.name] ?? job[field.name]}
            onChange={(text) => setChanges({ ...changes, [field.name]: text })}
            hint={"hint" in field ? field.hint : undefined}
            problem={problem?.field === field.name ? problem.sentence : null}
          />
        ))}
        <label className="col-span-full flex flex-col gap-1 font-semibold">
          Notes
          <textarea
            rows={2}
            name="notes"
            value={changes.notes ?? job.notes}
            onChange={(event) => setChanges({ ...changes, notes: event.target.value })}
            className="rounded border-2 border-line bg-page p-3 text-lg font-normal"
          />
        </label>
      </div>
      <p className="mt-4">
        <Link to="/about" className="inline-flex min-h-touch items-center font-semibold underline">
          About the program: what is shipped with it, and under which licences
        </Link>
      </p>
      <CopyAndPutAway job={job} change={change} navigate={navigate} />
    </Page>
  );
}

/** A copy of the job as a template, and putting it away. */
function CopyAndPutAway(props: {
  job: Schemas["JobView"];
  change: ReturnType<typeof useChangeJob>;
  navigate: ReturnType<typeof useNavigate>;
}) {
  const { job, change, navigate } = props;
  return (
    <div className="mt-2 grid grid-cols-1 sm:grid-cols-2 gap-6">
      <Copy job={job} />
      <section className="flex flex-col gap-3 rounded border-2 border-line bg-page p-4">
        <h2 className="text-xl font-bold">{job.archived ? "Put away" : "Put the job away"}</h2>
        <p className="text-faded">It leaves the list and keeps everything. It can be taken out again at any time.</p>
        <div>
          <Button
            disabled={change.isPending}
            onClick={() => change.mutate({ archived: !job.archived }, { onSuccess: () => void (job.archived || navigate("/")) })}
          >
            {job.archived ? "Take it out again" : "Put it away"}
          </Button>
        </div>
      </section>
    </div>
  );
}

function Copy({ job }: { job: Schemas["JobView"] }) {
  const [name, setName] = useState(`${job.name} (2)`);
  const [withControl, setWithControl] = useState(false);
  const copy = useCopyJob(job.id);
  const navigate = useNavigate();
  return (
    <section className="flex flex-col gap-3 rounded border-2 border-line bg-page p-4">
      <h2 className="text-xl font-bold">Copy as a template</h2>
      <TextField
        label="Name of the new job"
        name="copy_name"
        value={name}
        onChange={setName}
        problem={copy.error ? sentenceOf(copy.error) : null}
        hint="Its settings and profiles come along, no readings."
      />
      <Toggle label="With the control list" value={withControl} onChange={setWithControl} />
      <div>
        <Button
          disabled={copy.isPending}
          onClick={() => copy.mutate({ name, with_control: withControl }, { onSuccess: (made) => void navigate(`/job/${made.id}/job`) })}
        >
          Make the copy
        </Button>
      </div>
    </section>
  );
}
