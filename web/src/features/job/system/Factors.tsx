import type { Schemas } from "../../../api/client";
import { latitude, length, longitude, partsPerMillion, UNIT_SIGN } from "../../../lib/format";
import { Figure } from "../../../ui/controls";
import { FindingList } from "../../../ui/findings";

/** By how much the grid differs from the ground at the job's middle, and what the settings have to be told. */
export function FactorsView({ view, job }: { view: Schemas["SystemView"]; job: Schemas["JobView"] }) {
  const { factors, place } = view;
  const unit = job.length_unit;
  return (
    <div className="flex flex-col gap-4">
      {factors && place && (
        <div className="grid grid-cols-1 sm:grid-cols-2 lg:grid-cols-[1.4fr_1fr_1fr_1fr] gap-4 rounded border-2 border-line bg-page p-4">
          <Figure
            large
            label="Combined factor, grid / ground"
            value={factors.combined_factor.toFixed(8)}
            hint={`${partsPerMillion(factors.combined_ppm)} ppm: ${Math.abs(factors.combined_ppm / 10).toFixed(1)} mm in 100 m`}
          />
          <Figure label="Grid scale" value={factors.grid_scale.toFixed(8)} hint={`${partsPerMillion(factors.grid_scale_ppm)} ppm`} />
          <Figure
            label="Elevation factor"
            value={factors.elevation_factor.toFixed(8)}
            hint={`${partsPerMillion(factors.elevation_ppm)} ppm at ${length(view.height_m, unit)} ${UNIT_SIGN[unit]}`}
          />
          <Figure
            label="Convergence"
            value={`${factors.convergence_deg < 0 ? "−" : "+"}${Math.abs(factors.convergence_deg).toFixed(4)}°`}
            hint={`grid north lies ${factors.convergence_deg < 0 ? "west" : "east"} of true north`}
          />
          <p className="col-span-full text-base text-faded">
            At the middle of the job, {latitude(place.latitude_deg, 5)} {longitude(place.longitude_deg, 5)}; height: {view.height_source}. Distance in
            the grid = distance on the ground × combined factor. Convergence is positive where grid north lies east of true north.
          </p>
        </div>
      )}
      <FindingList findings={view.findings} />
    </div>
  );
}
