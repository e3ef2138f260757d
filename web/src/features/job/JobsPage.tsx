import { Plus } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { sentenceOf } from "../../api/client";
import { useJobs } from "../../api/queries";
import { day } from "../../lib/format";
import { Button, Note } from "../../ui/controls";
import { NewJob } from "./NewJob";

/** The front door: the jobs of this data folder, and a new one. */
export function JobsPage() {
  const jobs = useJobs();
  const [making, setMaking] = useState(false);
  return (
    <main className="mx-auto flex min-h-dvh max-w-5xl flex-col px-6 py-8 text-lg">
      <h1 className="text-4xl font-bold">Open Stake</h1>
      <p className="mb-6 text-xl text-faded">A base, a rover, and whether they can be trusted today.</p>
      {jobs.isPending && <p>Reading the jobs.</p>}
      {jobs.isError && <Note tone="flag">{sentenceOf(jobs.error)}</Note>}
      {making ? (
        <NewJob onClose={() => setMaking(false)} />
      ) : (
        <>
          <ul className="flex flex-col gap-3">
            {jobs.data?.map((job) => (
              <li key={job.id}>
                <Link
                  to={`/job/${job.id}/job`}
                  className="flex min-h-record items-center justify-between gap-4 rounded border-2 border-line bg-page px-5 py-3 hover:border-ink"
                >
                  <span>
                    <span className="block text-2xl font-bold">{job.name}</span>
                    <span className="text-faded">
                      {job.system_name} (EPSG:{job.system_code}), {job.length_unit_word}
                    </span>
                  </span>
                  <span className="text-right">
                    <span className="block font-semibold">{job.marks} marks</span>
                    <span className="text-faded">{job.practice ? "practice, stand-in devices" : `made ${day(job.created_s)}`}</span>
                  </span>
                </Link>
              </li>
            ))}
          </ul>
          <div className="mt-6 flex justify-end">
            <Button kind="primary" large onClick={() => setMaking(true)}>
              <Plus aria-hidden /> New job
            </Button>
          </div>
        </>
      )}
      <p className="mt-auto pt-8 text-base text-faded">
        Open Stake gives evidence, not a certificate. Local rules and the licensed surveyor decide.
      </p>
    </main>
  );
}
