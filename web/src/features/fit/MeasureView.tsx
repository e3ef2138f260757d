import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { problemOf, sentenceOf, type Schemas } from "../../api/client";
import { useRecordFitShot } from "../../api/fit";
import { useLive } from "../../api/live";
import { length, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Note, Select, TextField } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { useMarkNamed } from "../../ui/marks";
import { PoleFields, usePole } from "../../ui/pole";
import { PracticeStand } from "../../ui/practice";
import { Drop, Hold, Record, ShotProgress } from "../../ui/shot";
import { StateMark } from "../../ui/StateMark";
import type { FitViewProps } from "./props";

/** Stand on a mark and record: its GNSS side, under the same name. */
export function MeasureView({ job, fit, tabs }: FitViewProps) {
  const [params, setParams] = useSearchParams();
  const [pole, setPole] = usePole();
  const [seconds, setSeconds] = useState("30");
  const record = useRecordFitShot(job.id);
  const shot = useLive(({ live }) => live?.shot ?? null);
  const rover_id = useLive(({ live }) => live?.rover_id ?? null);
  const line = params.get("line") ?? fit.next.line_id;
  const mark = fit.marks.find((item) => item.line_id === line) ?? null;
  const listed = useMarkNamed(job.id, mark?.name ?? "");
  const problem = problemOf(record.error);
  const unit = job.length_unit;
  return (
    <Page
      title="Measure"
      why="Stand on a mark of the local list and record. Checks and points of the same name count too."
      tabs={tabs}
      aside={
        shot ? (
          <ShotProgress shot={shot} />
        ) : record.isError && !problem?.field ? (
          <p className="font-semibold text-flag">{sentenceOf(record.error)}</p>
        ) : (
          <Hold jobId={job.id} marked={mark !== null} fixedOnly />
        )
      }
      action={
        shot ? (
          <Drop jobId={job.id} shot={shot} />
        ) : (
          <Record disabled={!mark || record.isPending} onRecord={() => mark && record.mutate({ line_id: mark.line_id, ...pole, seconds: Number(seconds) || 0, rover_id })} />
        )
      }
    >
      <div className="grid grid-cols-1 lg:grid-cols-[21.5rem_minmax(0,1fr)] gap-6">
        <div className="flex min-w-0 flex-col gap-4">
          <Select
            label="Mark under the pole"
            value={mark?.line_id ?? ""}
            options={fit.marks.map((item) => ({ value: item.line_id, label: item.name, detail: item.words }))}
            onChange={(next) => setParams({ view: "measure", line: next })}
          />
          {listed && job.practice && <PracticeStand jobId={job.id} who="rover" mark={listed} />}
          <div className="grid grid-cols-[7.5rem_minmax(0,1fr)] gap-3">
            <PoleFields jobId={job.id} pole={pole} onPole={setPole} problem={problem} />
            <TextField label="Seconds" name="seconds" value={seconds} onChange={setSeconds} hint="30 to 180 for control" />
          </div>
          {mark && (fit.horizontal || mark.gnss_e_m !== null) && (
            <Link to={`/job/${job.id}/watch?view=go&line=${mark.line_id}`} className="inline-flex h-touch items-center justify-center rounded border-2 border-line px-4 font-semibold">
              Go to {mark.name}
            </Link>
          )}
        </div>
        <MeasuredMarks fit={fit} mark={mark} unit={unit} />
      </div>
    </Page>
  );
}

/** How far the mark is from where the fit puts it, and which are still to be measured. */
function MeasuredMarks({ fit, mark, unit }: { fit: Schemas["FitView"]; mark: Schemas["FitMarkView"] | null; unit: Schemas["JobView"]["length_unit"] }) {
  return (
    <div className="min-w-0">
      {fit.marks.length === 0 && <Note>No mark has local coordinates yet.</Note>}
      {mark && mark.off_m !== null && (
        <section className="mb-4 rounded border-2 border-line bg-page p-4" aria-label={`Difference of ${mark.name}`}>
          <p className="text-faded">
            {mark.name} from where {mark.horizontal ? "the others put" : "the fit puts"} it
          </p>
          <p className={`text-6xl font-bold whitespace-nowrap ${mark.state === "disagrees" ? "text-flag" : ""}`} data-testid="fit-difference">
            {length(mark.off_m, unit)} <span className="text-2xl">{UNIT_SIGN[unit]} horizontally</span>
          </p>
          {mark.off_up_m !== null && (
            <p className="text-4xl font-bold">
              {length(mark.off_up_m, unit)} <span className="text-xl">{UNIT_SIGN[unit]} in height</span>
            </p>
          )}
          <p className="mt-1 text-lg">{fit.next.line_id === mark.line_id ? fit.next.words : mark.words}</p>
        </section>
      )}
      <CardTable className="w-full text-left" aria-label="Marks to measure">
        <tbody>
          {fit.marks.map((item) => (
            <tr key={item.line_id} className={`border-b border-line ${item.line_id === mark?.line_id ? "bg-lath/30" : ""}`}>
              <td className="w-10 py-2 pl-2">
                <StateMark state={item.state} size={22} />
              </td>
              <td className="text-xl font-bold">{item.name}</td>
              <td>{item.words}</td>
              <td className="text-faded">{item.gnss_e_m === null ? "" : item.origin}</td>
            </tr>
          ))}
        </tbody>
      </CardTable>
    </div>
  );
}
