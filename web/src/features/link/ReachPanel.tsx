import { useDeferredValue, useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useReach } from "../../api/queries";
import { CardTable } from "../../ui/CardTable";
import { Figure, Note, TextField } from "../../ui/controls";
import { LengthField } from "../../ui/length";

const FIELDS = [
  { name: "distance_km", label: "Distance to cover, km", hint: "Empty: to the farthest mark." },
  { name: "sensitivity_dbm", label: "Rover's sensitivity, dBm", hint: "Empty: −110, usual at 9600 bit/s." },
  { name: "margin_db", label: "Margin to keep, dB", hint: "Empty: 10." },
] as const;

/** How far each power reaches by rule, for how long, and whom to keep how far away. */
export function ReachPanel({ job }: { job: Schemas["JobView"] }) {
  const [asked, setAsked] = useState({ distance_km: "", rover_height: "", sensitivity_dbm: "", margin_db: "", base_height: "" });
  const reach = useReach(job.id, useDeferredValue(asked));
  const problem = problemOf(reach.error);
  const data = reach.data;
  if (data && !data.available) return <Note>The base profile has no transmitter or no frequency: there is nothing to compute.</Note>;
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  return (
    <div className="flex flex-col gap-5">
      <div className="grid grid-cols-1 sm:grid-cols-5 items-start gap-4">
        {FIELDS.map((field) => (
          <TextField
            key={field.name}
            label={field.label}
            name={field.name}
            value={asked[field.name]}
            placeholder={data ? placeholder(data, field.name) : ""}
            onChange={(text) => setAsked({ ...asked, [field.name]: text })}
            hint={field.hint}
            problem={at(field.name)}
          />
        ))}
        <LengthField
          label="Base radio antenna up"
          name="base_height"
          unit={job.length_unit}
          value={asked.base_height}
          onChange={(base_height) => setAsked({ ...asked, base_height })}
          hint={data?.path ? `Profile: ${data.path.base_height_m} m` : ""}
          problem={at("base_height") ?? at("base_height_m")}
        />
        <LengthField
          label="Rover radio antenna up"
          name="rover_height"
          unit={job.length_unit}
          value={asked.rover_height}
          onChange={(rover_height) => setAsked({ ...asked, rover_height })}
          hint="Empty: 2 m."
          problem={at("rover_height") ?? at("rover_height_m")}
        />
      </div>
      {problem && !problem.field && <Note tone="flag">{sentenceOf(problem)}</Note>}
      {data && !problem && <ReachTable reach={data} />}
    </div>
  );
}

function placeholder(reach: Schemas["Reach"], name: string): string {
  if (name === "distance_km") return reach.distance_km?.toFixed(2) ?? "";
  return String(reach.path?.[name as keyof NonNullable<typeof reach.path>] ?? "");
}

function ReachTable({ reach }: { reach: Schemas["Reach"] }) {
  const need = reach.distance_km ?? 0;
  const lowest = reach.levels.find((level) => level.reach_km >= need);
  const highest = reach.levels[reach.levels.length - 1];
  return (
    <>
      <div className="grid grid-cols-1 sm:grid-cols-2 gap-4">
        <Method
          title="Lowest power that works"
          gives="saves the battery, disturbs nobody"
          level={lowest}
          none={reach.lowest_power_w === null ? "beyond the horizon: raise an antenna" : `needs ${reach.lowest_power_w.toPrecision(2)} W, more than the radio has`}
        />
        <Method title="Full power" gives="keeps a margin for trees and banks" level={highest} none="the radio has no powers in the kit" />
      </div>
      <CardTable className="w-full border-collapse bg-page text-right">
        <thead className="border-b-2 border-ink text-base">
          <tr>
            <th className="py-2 pl-3 text-left">Power</th>
            <th>Reach by rule</th>
            <th>Margin at {need.toFixed(2)} km</th>
            <th>Battery</th>
            <th>Public keeps</th>
            <th className="pr-3">Workers keep</th>
          </tr>
        </thead>
        <tbody>
          {reach.levels.map((level) => (
            <tr key={level.power_w} className="h-11 border-b border-line text-xl font-semibold">
              <td className="pl-3 text-left">{level.power_w} W</td>
              <td className={level.reach_km < need ? "text-flag" : ""}>{level.reach_km.toFixed(1)} km</td>
              <td>{level.margin_db === null ? "no sight" : `${level.margin_db.toFixed(0)} dB`}</td>
              <td>{level.battery_hours === null ? "not known" : `${level.battery_hours.toFixed(0)} h`}</td>
              <td>{level.public_m.toFixed(1)} m</td>
              <td className="pr-3">{level.worker_m.toFixed(1)} m</td>
            </tr>
          ))}
        </tbody>
      </CardTable>
      {reach.trade && (
        <p className="text-lg">
          Raise the antenna by 2 m: <b>+{reach.trade.raised_db.toFixed(1)} dB, +{reach.trade.raised_km.toFixed(2)} km</b>. Double the power:{" "}
          <b>
            +{reach.trade.doubled_db.toFixed(1)} dB, +{reach.trade.doubled_km.toFixed(2)} km
          </b>
          .
        </p>
      )}
      <p className="text-base text-faded">
        Radio horizon {reach.horizon_km?.toFixed(1)} km over 4/3 of the Earth. First Fresnel zone at mid path {reach.fresnel_m?.toFixed(1)} m: keep it
        mostly free. Reach is the least of free space (ITU-R P.525), plane earth and horizon, the margin kept. Distances to people: S = EIRP × 2.56 / 4πr²
        against ICNIRP 2020, sending all the time. Local limits decide, and so do licence and regulator.
      </p>
    </>
  );
}

function Method(props: { title: string; gives: string; level: Schemas["PowerLevel"] | undefined; none: string }) {
  const { level } = props;
  return (
    <div className="rounded border-2 border-line bg-page px-4 py-2">
      <Figure
        label={props.title}
        value={level ? `${level.power_w}` : "none"}
        sign={level ? "W" : ""}
        hint={level ? `${props.gives}; reaches ${level.reach_km.toFixed(1)} km${level.battery_hours === null ? "" : `, ${level.battery_hours.toFixed(0)} h of battery`}` : props.none}
      />
    </div>
  );
}
