import { useState } from "react";
import { Link } from "react-router";
import type { Schemas } from "../../api/client";
import { keyOf, Panorama, Shape } from "../../plots/Panorama";

/** The rover's sky beside what its base sends: who is used, who is not, and why. */
export function Sky({ jobId, shown }: { jobId: string; shown: Schemas["Instrument"] }) {
  const [chosen, setChosen] = useState<string | null>(null);
  const { sky } = shown;
  const one = sky.satellites.find((item) => keyOf(item) === chosen);
  if (sky.satellites.length === 0)
    return <p className="rounded border-2 border-line bg-page px-4 py-2 text-faded">The rover lists no satellites (GSV): its sky is not shown.</p>;
  return (
    <section className="rounded border-2 border-line bg-page p-3" aria-label="Sky at the rover">
      <div className="grid grid-cols-1 lg:grid-cols-[minmax(0,1fr)_17rem] gap-4">
        <Panorama sky={sky} maskDeg={shown.mask_deg} obstructed={shown.obstructed} chosen={chosen} onChoose={setChosen} />
        <SkyNumbers sky={sky} one={one} />
      </div>
      <p className="mt-1 text-base text-faded">
        Filled: used. Hollow: not used. Cross: no signal. Larger: stronger. Hatched: listed for half a minute and never heard there, an
        obstruction.
        {Object.keys(sky.unseen).length > 0 &&
          ` Sent by the base and not listed here: ${Object.entries(sky.unseen)
            .map(([name, numbers]) => `${numbers.length} ${name}`)
            .join(", ")}.`}{" "}
        <Link className="font-semibold underline" to={`/job/${jobId}/sky?view=seen`}>
          Against what is expected
        </Link>
      </p>
    </section>
  );
}

/** Satellites by constellation, and the one that was pressed. */
function SkyNumbers({ sky, one }: { sky: Schemas["SkyUse"]; one: Schemas["SatelliteUse"] | undefined }) {
  return (
    <div className="flex flex-col gap-2">
      <p>
        <span className="text-4xl font-bold">{sky.used}</span> used of {sky.satellites.length} listed
      </p>
      <table className="text-base">
        <thead>
          <tr className="text-left text-faded">
            <th className="font-normal">constellation</th>
            <th className="text-right font-normal">used</th>
            <th className="text-right font-normal">sent</th>
            <th className="text-right font-normal">heard</th>
          </tr>
        </thead>
        <tbody>
          {sky.constellations.map((item) => (
            <tr key={item.constellation}>
              <th className="flex items-center gap-2 text-left font-semibold">
                <svg width="18" height="18" viewBox="-9 -9 18 18" aria-hidden="true">
                  <Shape constellation={item.constellation} size={5} fill="var(--checked)" stroke="var(--checked)" />
                </svg>
                {item.constellation}
              </th>
              <td className="text-right font-bold">{item.used}</td>
              <td className="text-right">{item.sent ?? "–"}</td>
              <td className="text-right">{item.heard}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <p className="text-base leading-5">
        {one ? (
          <>
            <span className="font-bold">
              {one.constellation} {one.number}
            </span>{" "}
            {one.elevation_deg.toFixed(0)}° up, {one.cnr_dbhz === null ? "no signal" : `${one.cnr_dbhz.toFixed(0)} dB-Hz`}: {one.use}
            {one.why && `, ${one.why}`}
          </>
        ) : (
          <Reasons reasons={sky.reasons} />
        )}
      </p>
    </div>
  );
}

/** Why satellites are not used, the commonest reasons. */
function Reasons({ reasons }: { reasons: Schemas["WhyNot"][] }) {
  if (reasons.length === 0) return <span className="text-faded">All that are listed are used.</span>;
  return (
    <>
      Not used:{" "}
      {reasons
        .slice(0, 4)
        .map((item) => `${item.count} ${item.why}`)
        .join("; ")}
      .
    </>
  );
}
