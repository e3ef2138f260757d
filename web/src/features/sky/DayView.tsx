import type { Schemas } from "../../api/client";
import { fixed, length, UNIT_SIGN } from "../../lib/format";
import { HourStrip } from "../../plots/HourStrip";
import { CardTable } from "../../ui/CardTable";
import { FindingLines } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { DayChooser } from "./DayChooser";
import type { SkyProps } from "./props";

const QUALITY = { good: "good", fair: "", poor: "avoid" };

/** The day hour by hour: how many satellites both ends see, the geometry, and what a fix is expected to be worth. */
export function DayView(props: SkyProps) {
  const { job, shown } = props;
  const perHour = Math.round(3600 / shown.step_s);
  const hours = Array.from({ length: Math.ceil((shown.steps - 1) / perHour) }, (_, n) => n * perHour);
  return (
    <Page title="Hours" why="What base and rover see together decides. Plan control for the good hours." tabs={props.tabs} aside={<DayChooser shown={shown} ask={props.ask} />}>
      <div className="flex flex-col gap-3">
        <p className="text-4xl leading-tight font-bold small:text-2xl" data-testid="glance">
          {shown.glance}
        </p>
        <p className="text-faded">
          {shown.sun.words} {shown.base.name} to {shown.rover.name}, {shown.baseline_words}.{shown.elements.nominal && " Nominal satellites, to practise."}
        </p>
        <HourStrip shown={shown} step={props.step} onStep={props.onStep} clock={props.at} />
        <CardTable className="w-full border-2 border-line bg-page text-lg">
          <thead>
            <tr className="border-b-2 border-line text-right text-base text-faded">
              <th className="px-3 text-left font-normal">hour</th>
              {shown.hours.by_constellation.map((item) => (
                <th key={item.constellation} className="px-2 font-normal">
                  {item.constellation}
                </th>
              ))}
              <th className="px-2 font-normal">in common</th>
              <th className="px-2 font-normal">PDOP</th>
              <th className="px-2 font-normal hand:hidden">HDOP</th>
              <th className="px-2 font-normal hand:hidden">VDOP</th>
              <th className="px-2 font-normal">H 95 %, {UNIT_SIGN[job.length_unit]}</th>
              <th className="px-2 font-normal">V 95 %, {UNIT_SIGN[job.length_unit]}</th>
              <th className="px-3 font-normal" />
            </tr>
          </thead>
          <tbody>
            {hours.map((step) => (
              <Hour key={step} {...props} hours={shown.hours} step={step} onChoose={() => props.onStep(step)} chosen={Math.floor(props.step / perHour) * perHour === step} />
            ))}
          </tbody>
        </CardTable>
        <p className="text-base text-faded">At the full hour. 95 % is that of one fix by the job&apos;s budget under this sky, relative to the base; good and poor by PDOP against the least of the day.</p>
        <FindingLines findings={shown.findings} />
      </div>
    </Page>
  );
}

function Hour(props: SkyProps & { hours: Schemas["Hours"]; chosen: boolean; onChoose: () => void }) {
  const { hours, step, job } = props;
  const quality = hours.quality[step] ?? "fair";
  return (
    <tr className={`h-10 border-b border-line text-right ${props.chosen ? "bg-lath/30" : ""}`} onClick={props.onChoose}>
      <th className="px-3 text-left text-xl">{props.at(step)}</th>
      {hours.by_constellation.map((item) => (
        <td key={item.constellation} className="px-2">
          {item.counts[step]}
        </td>
      ))}
      <td className="px-2 font-bold">{hours.common[step]}</td>
      <td className="px-2">{fixed(hours.pdop[step], 1)}</td>
      <td className="px-2 hand:hidden">{fixed(hours.hdop[step], 1)}</td>
      <td className="px-2 hand:hidden">{fixed(hours.vdop[step], 1)}</td>
      <td className="px-2 font-bold">{length(hours.horizontal_95_m[step], job.length_unit)}</td>
      <td className="px-2 font-bold">{length(hours.vertical_95_m[step], job.length_unit)}</td>
      <td className={`px-3 font-semibold ${quality === "poor" ? "text-flag" : "text-checked"}`}>{QUALITY[quality]}</td>
    </tr>
  );
}
