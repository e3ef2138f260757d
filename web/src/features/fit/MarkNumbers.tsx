import { sentenceOf, type Schemas } from "../../api/client";
import { useFitShot } from "../../api/fit";
import { clock, day, decimal, length, signed, UNIT_SIGN } from "../../lib/format";
import { Button, LinkButton } from "../../ui/controls";
import { More } from "../../ui/More";

type Mark = Schemas["FitMarkView"];

/** One mark of the fit: its residuals and how far they can be trusted, in rows; its shots. */
export function MarkNumbers(props: { job: Schemas["JobView"]; mark: Mark; test: string; busy: boolean; onUse: (use: Mark["use"]) => void }) {
  const { job, mark } = props;
  const unit = job.length_unit;
  const point = mark.point;
  const percent = (share: number | null) => (share === null ? "–" : `${Math.round(100 * share)} %`);
  const plain = (value: number | null | undefined) => (value == null ? "–" : decimal(value, 1));
  const rows: [string, string, string, string][] = [
    ["residual", signed(point?.residual_e_m, unit), signed(point?.residual_n_m, unit), signed(point?.residual_h_m, unit)],
    ["left out", signed(point?.left_out_e_m, unit), signed(point?.left_out_n_m, unit), signed(point?.left_out_h_m, unit)],
    ["standardised", plain(point?.standardised.east), plain(point?.standardised.north), plain(point?.standardised.up)],
  ];
  const pairs: [string, string, string][] = [
    ["a blunder shows by", percent(mark.redundancy_h), percent(mark.redundancy_v)],
    ["found from", length(mark.detectable_h_m, unit), length(mark.detectable_v_m, unit)],
    ["moves the fit by", length(mark.effect_m, unit), length(mark.effect_up_m, unit)],
    ["the fit gives, 95 %", length(mark.predicted_95_m, unit), length(mark.predicted_up_95_m, unit)],
  ];
  return (
    <section className="rounded border-2 border-line bg-page px-3 py-2" aria-label={`Numbers of ${mark.name}`}>
      <div className="flex items-center gap-3">
        <h2 className="text-xl font-bold">{mark.name}</h2>
        <p className="min-w-0 flex-1 text-base text-faded">
          {mark.origin}
          {!mark.inside && ", outside the marks of the fit"}
        </p>
        {mark.gnss_e_m !== null && (
          <Button className="px-3!" disabled={props.busy} onClick={() => props.onUse(mark.use === "out" ? "hv" : "out")}>
            {mark.use === "out" ? "Take it in" : "Leave it out"}
          </Button>
        )}
      </div>
      {point === null ? (
        <div className="mt-2">
          <LinkButton to={`/job/${job.id}/fit?view=measure&line=${mark.line_id}`}>Measure {mark.name}</LinkButton>
        </div>
      ) : (
        <NumbersTable unit={unit} rows={rows} pairs={pairs} />
      )}
      <p className="mt-1 text-sm leading-5 text-faded">Residuals are fitted − given, left out is predicted by the others − given. Test: {props.test}.</p>
      {mark.shots.length > 0 && (
        <div className="mt-2">
          <More title={`Shots (${mark.shots.length})`}>
            <Shots job={job} mark={mark} />
          </More>
        </div>
      )}
    </section>
  );
}

/** Residual, left-out difference and test of a mark, axis by axis. */
function NumbersTable({ unit, rows, pairs }: { unit: Schemas["JobView"]["length_unit"]; rows: ([string, string, string, string])[]; pairs: ([string, string, string])[] }) {
  return (
    <table className="mt-1 w-full text-right text-base leading-6">
      <thead>
        <tr className="text-sm text-faded">
          <th className="text-left font-semibold">{UNIT_SIGN[unit]}</th>
          <th className="font-semibold">east</th>
          <th className="font-semibold">north</th>
          <th className="font-semibold">height</th>
        </tr>
      </thead>
      <tbody>
        {rows.map(([name, ...cells]) => (
          <tr key={name} className="border-t border-line">
            <th className="text-left font-semibold">{name}</th>
            {cells.map((cell, n) => (
              <td key={n}>{cell}</td>
            ))}
          </tr>
        ))}
        {pairs.map(([name, flat, up]) => (
          <tr key={name} className="border-t border-line">
            <th className="text-left font-semibold">{name}</th>
            <td colSpan={2}>{flat}</td>
            <td>{up}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

function Shots({ job, mark }: { job: Schemas["JobView"]; mark: Mark }) {
  const use = useFitShot(job.id);
  const unit = job.length_unit;
  return (
    <ul className="flex flex-col gap-1" aria-label={`Shots on ${mark.name}`}>
      {mark.shots.map((shot) => (
        <li key={shot.id} className="flex items-center gap-2 border-b border-line text-base leading-5">
          <span className="min-w-0 flex-1">
            {day(shot.at_s, job.time_zone)} {clock(shot.at_s, job.time_zone).slice(0, 5)}, {shot.kind}, {shot.epochs} {shot.epochs === 1 ? "epoch" : "epochs"}
            <span className="block text-sm text-faded">
              {shot.why_not || `E ${signed(shot.off_east_m, unit)}, N ${signed(shot.off_north_m, unit)}, up ${signed(shot.off_up_m, unit)} ${UNIT_SIGN[unit]} from the mean`}
            </span>
          </span>
          <Button className="px-3!" disabled={use.isPending} onClick={() => use.mutate({ line_id: mark.line_id, shot_id: shot.id, used: !shot.used })}>
            {shot.used ? "leave out" : "take in"}
          </Button>
        </li>
      ))}
      {use.isError && <li className="font-semibold text-flag">{sentenceOf(use.error)}</li>}
    </ul>
  );
}
