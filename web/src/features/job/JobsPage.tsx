import { useQueryClient } from "@tanstack/react-query";
import { Plus } from "lucide-react";
import { useDeferredValue, useState } from "react";
import { Link } from "react-router";
import { sentenceOf, type Schemas } from "../../api/client";
import { useBackUp, useBackups, useJobs } from "../../api/queries";
import { beginUnpack, useWork } from "../../api/work";
import { clock, counted, day } from "../../lib/format";
import { Button, FileButton, Note, TextField } from "../../ui/controls";
import { WorkBar } from "../../ui/work";
import { NewJob } from "./NewJob";

/** The front door: the jobs of this data folder, found by typing, and a new one. */
export function JobsPage({ beside }: { beside: React.ReactNode }) {
  const [text, setText] = useState("");
  const [archived, setArchived] = useState(false);
  const [making, setMaking] = useState(false);
  const jobs = useJobs(useDeferredValue(text), archived);
  const queries = useQueryClient();
  // A package of a job from another machine: made here, or joined with what is here of it.
  const unpack = useWork(() => void queries.invalidateQueries({ queryKey: ["jobs"] }));
  return (
    <main className="mx-auto flex min-h-dvh max-w-5xl flex-col px-6 py-8 text-lg small:px-4 small:py-4">
      <div className="flex items-center justify-between gap-4">
        <h1 className="text-4xl font-bold small:text-3xl">Open Stake</h1>
        {beside}
      </div>
      <p className="mb-6 text-xl text-faded small:mb-3 small:text-lg">A base, a rover, and whether they can be trusted today.</p>
      {jobs.isPending && <p>Reading the jobs.</p>}
      {jobs.isError && <Note tone="flag">{sentenceOf(jobs.error)}</Note>}
      {making ? (
        <NewJob onClose={() => setMaking(false)} />
      ) : (
        <>
          <div className="mb-4 grid items-end gap-4 grid-cols-1 sm:grid-cols-[1fr_auto]">
            <TextField label="Find a job" name="find" value={text} onChange={setText} placeholder="name, client, task or crew" />
            <Button onClick={() => setArchived(!archived)}>{archived ? "Show open jobs" : "Show jobs put away"}</Button>
          </div>
          <ul className="flex flex-col gap-3">
            {jobs.data?.map((job) => (
              <JobLine key={job.id} job={job} />
            ))}
          </ul>
          {jobs.data?.length === 0 && <p>{text ? "No job matches." : archived ? "No job has been put away." : "No jobs yet."}</p>}
          {/* What came of a package stays in sight beside the buttons, however many jobs there are. */}
          <div className="sticky bottom-0 mt-6 flex flex-col gap-2 border-t-2 border-line bg-paper py-2 small:mt-3">
            <WorkBar work={unpack} />
            <div className="flex items-center justify-end gap-4 small:flex-col-reverse small:items-stretch small:gap-2">
              {unpack.view?.state === "done" && (
                <Link to={`/job/${unpack.view.job}`} className="mr-auto flex min-h-touch items-center font-semibold whitespace-nowrap underline">
                  Go to the job
                </Link>
              )}
              <FileButton label="Package" accept=".zip" onFile={(file) => unpack.begin(beginUnpack(file))}>
                Unpack a package
              </FileButton>
              <Button kind="primary" large onClick={() => setMaking(true)}>
                <Plus aria-hidden /> New job
              </Button>
            </div>
          </div>
        </>
      )}
      <Backups />
      <p className="pt-4 text-base text-faded">
        Open Stake gives evidence, not a certificate. Local rules and the licensed surveyor decide.{" "}
        <Link to="/about" className="inline-block py-2 font-semibold text-ink underline">
          About
        </Link>
      </p>
    </main>
  );
}

/** When the last backup was made, whether it was read back, and one more. */
function Backups() {
  const backups = useBackups();
  const make = useBackUp();
  const state = backups.data;
  if (!state) return <p className="mt-auto pt-8" />;
  return (
    <div className="mt-auto flex items-center justify-between gap-4 pt-8 text-base small:flex-col small:items-stretch">
      <p className={state.problem ? "font-bold text-flag" : "text-faded"}>
        {state.last_s === null ? "No backup yet." : `Last backup ${day(state.last_s)} ${clock(state.last_s).slice(0, 5)}: ${state.words}`}{" "}
        {state.problem || state.advice}
      </p>
      <Button disabled={make.isPending || state.running} onClick={() => make.mutate()}>
        {make.isPending || state.running ? "Backing up" : "Back up now"}
      </Button>
    </div>
  );
}

function JobLine({ job }: { job: Schemas["JobView"] }) {
  const about = [job.task, job.client].filter(Boolean).join(", ");
  return (
    <li>
      <Link
        to={`/job/${job.id}`}
        className="flex min-h-record items-center justify-between gap-4 rounded border-2 border-line bg-page px-5 py-3 hover:border-ink small:flex-col small:items-stretch small:gap-0 small:px-4"
      >
        <span className="min-w-0">
          <span className="block text-2xl font-bold">{job.name}</span>
          {about && <span className="block truncate">{about}</span>}
          <span className="block text-faded">
            {job.problem || `${job.system_name}${job.system_code ? ` (EPSG:${job.system_code})` : ""}, ${job.length_unit_word}`}
          </span>
        </span>
        <span className="text-right whitespace-nowrap small:text-left">
          <span className="block font-semibold small:inline">{counted(job.marks ?? 0, "mark")}</span>
          <span className="text-faded small:ml-3">{job.practice ? "practice, stand-in devices" : `made ${day(job.created_s)}`}</span>
        </span>
      </Link>
    </li>
  );
}
