import type { ReactNode } from "react";
import type { Schemas } from "../../api/client";
import { latitude, length, longitude, millimetres, UNIT_SIGN } from "../../lib/format";
import { StateMark, type State } from "../../ui/StateMark";

interface Meant {
  latitude_deg: number;
  longitude_deg: number;
  height_m: number;
}

/** Meant, on the air, and the difference in millimetres: of the ARP, which decides. */
export function MeantTable(props: {
  job: Schemas["JobView"];
  meant: Meant | null;
  arpHeightM: number | null;
  stationId: number | null;
  air: Schemas["OnAirView"] | null;
  state: State;
  running: boolean;
}) {
  const { meant, air, job, state } = props;
  const unit = job.length_unit;
  const write = (metres: number | null) => (metres === null ? "–" : `${length(metres, unit)} ${UNIT_SIGN[unit]}`);
  const words = {
    missing: "Not settled yet.",
    entered: props.running ? "Not heard yet: nothing is checked." : "Meant; nothing is on the air yet.",
    checked: "The base sends what is meant.",
    disagrees: "The base does not send what is meant.",
    "out of date": "",
    "not needed": "",
  }[state];
  return (
    <section aria-label="Meant and on the air" className="rounded border-2 border-line bg-page px-4 py-2 small:px-2">
      <p className={`flex items-center gap-2 text-xl leading-7 font-bold ${state === "disagrees" ? "text-flag" : ""}`}>
        <StateMark state={state} /> {words}
      </p>
      <table className="w-full">
        <thead>
          <tr className="text-left text-base text-faded">
            <th className="font-normal">ARP</th>
            <th className="font-normal">meant</th>
            <th className="text-right font-normal">air − meant</th>
          </tr>
        </thead>
        <tbody>
          <Row name="latitude" meant={meant ? latitude(meant.latitude_deg, 8) : "–"} off={air && `${millimetres(air.north_m)} N`} />
          <Row name="longitude" meant={meant ? longitude(meant.longitude_deg, 8) : "–"} off={air && `${millimetres(air.east_m)} E`} />
          <Row name="ell. height" meant={meant ? write(meant.height_m) : "–"} off={air && `${millimetres(air.up_m)} up`} />
          <Row
            name="above mark"
            meant={write(props.arpHeightM)}
            off={air && (air.antenna_height_m === null ? "not stated" : `sent ${write(air.antenna_height_m)}`)}
          />
          <Row
            name="station ID"
            meant={props.stationId === null ? "–" : String(props.stationId)}
            off={air && <span className={air.station_agrees ? "" : "font-bold text-flag"}>{`sent ${air.station_id}`}</span>}
          />
        </tbody>
      </table>
    </section>
  );
}

function Row({ name, meant, off }: { name: string; meant: string; off: ReactNode }) {
  return (
    <tr className="h-7 border-t border-line">
      <th className="text-left text-base font-normal whitespace-nowrap small:text-sm">{name}</th>
      <td className="font-bold whitespace-nowrap small:text-base">{meant}</td>
      <td className="text-right whitespace-nowrap small:text-base">{off ?? "–"}</td>
    </tr>
  );
}
