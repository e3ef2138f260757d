import { Download } from "lucide-react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useDropFit, useFitUse, useReapplyFit } from "../../api/fit";
import { clock, day, length, partsPerMillion, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, Note, ShowMore } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { StateMark } from "../../ui/StateMark";
import { ApplyFit } from "./ApplyFit";
import type { FitViewProps } from "./props";

const FILES = [
  { file: "reports/fit.pdf", label: "Sheet (PDF)" },
  { file: "fit.csv", label: "Residuals (CSV)" },
  { file: "fit.proj", label: "PROJ pipeline" },
  { file: "fit.json", label: "JSON" },
];

/** The fit in use, dropped and taken up again; every point in both systems; the fit as files. */
export function UseView({ job, fit, tabs }: FitViewProps) {
  const uses = useFitUse(job.id);
  const drop = useDropFit(job.id);
  const again = useReapplyFit(job.id);
  const first = uses.data?.pages[0];
  const points = uses.data?.pages.flatMap((page) => page.points) ?? [];
  const unit = job.length_unit;
  const applied = fit.applied;
  const problem = drop.error ?? again.error;
  const useful = fit.horizontal !== null && !applied?.is_shown;
  return (
    <Page
      title="Use"
      why="Work in local coordinates, or find the marks and drop the fit: every point keeps both."
      tabs={tabs}
      aside={problem ? <p className="font-semibold text-flag">{sentenceOf(problem)}</p> : <p className="text-faded">{applied ? `In use since ${day(applied.at_s, job.time_zone)} ${clock(applied.at_s, job.time_zone).slice(0, 5)}: ${applied.words}.` : "No fit is in use."}</p>}
      action={
        <div className="flex gap-3">
          {applied && (
            <Button className="h-record!" disabled={drop.isPending} onClick={() => drop.mutate({ replaces_id: applied.id })}>
              Drop the fit
            </Button>
          )}
          {useful && <ApplyFit job={job} fit={fit} words="Apply the fit" />}
        </div>
      }
    >
      {applied && applied.changed.length > 0 && (
        <Note tone="flag">
          <b>Out of date.</b> The fit in use rests on what has changed since: {applied.changed.join(", ")}. It stays as it was applied.
        </Note>
      )}
      <div className="mt-2 grid grid-cols-1 lg:grid-cols-[minmax(0,1fr)_20rem] gap-6">
        <section aria-label="Points in both systems">
          <h2 className="font-bold">Points in both systems{first?.by && `, by ${first.by}`}</h2>
          {first && !first.by && <Note>There is no fit yet.</Note>}
          {first?.by && points.length === 0 && <Note>No point yet.</Note>}
          {points.length > 0 && <Both points={points} unit={unit} />}
          {uses.hasNextPage && (
            <ShowMore busy={uses.isFetchingNextPage} onMore={() => void uses.fetchNextPage()}>
              Earlier points:
            </ShowMore>
          )}
        </section>
        <div className="flex flex-col gap-4">
          {fit.horizontal && (
            <FitFiles job={job} />
          )}
          <AppliedBefore first={first} job={job} again={again} />
        </div>
      </div>
    </Page>
  );
}

/** The fit as a file for other programs. */
function FitFiles({ job }: { job: Schemas["JobView"] }) {
  return (
    <section aria-label="Files" className="flex flex-col gap-2">
      <h2 className="font-bold">The fit as files</h2>
      {FILES.map((file) => (
        <a key={file.file} href={`/api/jobs/${job.id}/${file.file}`} download className="inline-flex h-touch items-center gap-2 rounded border-2 border-line bg-page px-4 font-semibold">
          <Download aria-hidden size={18} /> {file.label}
        </a>
      ))}
    </section>
  );
}

/** Fits that were applied before; one can be applied again. */
function AppliedBefore({ first, job, again }: { first: Schemas["FitUse"] | undefined; job: Schemas["JobView"]; again: ReturnType<typeof useReapplyFit> }) {
  return (
    <section aria-label="Applied before">
      <h2 className="font-bold">Applied before</h2>
      {first?.once.length === 0 && <p className="text-faded">None yet.</p>}
      <ul className="flex flex-col gap-1">
        {first?.once.map((item) => (
          <li key={item.id} className="rounded border-2 border-line bg-page px-3 py-1 leading-5">
            <p className="flex items-center gap-2 font-semibold">
              {item.in_use && <StateMark state="checked" size={18} />}
              {item.dropped ? "dropped" : item.words}
            </p>
            <p className="text-base text-faded">
              {day(item.at_s, job.time_zone)} {clock(item.at_s, job.time_zone).slice(0, 5)}
              {!item.dropped && `, ${partsPerMillion(item.scale_ppm)} ppm`}
            </p>
            {!item.in_use && !item.dropped && (
              <Button disabled={again.isPending} onClick={() => again.mutate({ applied_id: item.id })}>
                use again
              </Button>
            )}
          </li>
        ))}
      </ul>
    </section>
  );
}

function Both({ points, unit }: { points: Schemas["PointInBoth"][]; unit: Schemas["JobView"]["length_unit"] }) {
  return (
    <CardTable className="w-full text-right text-base">
      <thead>
        <tr className="border-b-2 border-line text-faded">
          <th className="text-left font-semibold">point ({UNIT_SIGN[unit]})</th>
          <th className="font-semibold">local east</th>
          <th className="font-semibold">local north</th>
          <th className="font-semibold">height</th>
          <th className="font-semibold">east</th>
          <th className="font-semibold">north</th>
          <th className="font-semibold">ellipsoidal</th>
          <th className="font-semibold">fit, 95 %</th>
        </tr>
      </thead>
      <tbody>
        {points.map((point) => (
          <tr key={point.id} className="border-b border-line">
            <td className="py-1 text-left font-bold">
              {point.name}
              {!point.inside && <span className="ml-2 font-normal text-flag">outside the marks</span>}
            </td>
            <td className="font-bold">{length(point.local_e_m, unit)}</td>
            <td className="font-bold">{length(point.local_n_m, unit)}</td>
            <td className="font-bold">{length(point.local_h_m, unit)}</td>
            <td>{length(point.east_m, unit)}</td>
            <td>{length(point.north_m, unit)}</td>
            <td>{length(point.height_m, unit)}</td>
            <td>{length(point.fit_95_m, unit)}</td>
          </tr>
        ))}
      </tbody>
    </CardTable>
  );
}
