import { PencilLine } from "lucide-react";
import { useState } from "react";
import type { Schemas } from "../../api/client";
import { length, UNIT_SIGN } from "../../lib/format";
import { heightsOf } from "../../lib/skyline";
import { HourStrip } from "../../plots/HourStrip";
import { SEEN_BY, SkyPanorama } from "../../plots/SkyPanorama";
import { Button } from "../../ui/controls";
import { FindingLines } from "../../ui/findings";
import { MarkPicker, useMarkNamed } from "../../ui/marks";
import { Page } from "../../ui/Page";
import { DayChooser } from "./DayChooser";
import { DrawView } from "./DrawView";
import type { SkyProps } from "./props";

/** The sky over base and rover at an hour chosen by dragging, and the skylines that hide it. */
export function PanoramaView(props: SkyProps) {
  const { job, shown, step } = props;
  const [drawing, setDrawing] = useState<"base" | "rover" | null>(null);
  const [chosen, setChosen] = useState<string | null>(null);
  if (drawing) return <DrawView {...props} which={drawing} onClose={() => setDrawing(null)} />;
  const arc = shown.arcs.find((item) => item.satellite === chosen && step >= item.first && step < item.first + item.seen_by.length);
  return (
    <Page
      title="Panorama"
      why="What base and rover see together. 95 % is of one fix to the base: vector and multipath alone."
      tabs={props.tabs}
      aside={<p className="text-faded hand:hidden">{arc ? wordsOf(arc, step) : "Drag over the hours. Filled: seen by base and rover. Hatched: behind a skyline."}</p>}
      action={
        <div className="flex gap-3 hand:flex-1 hand:*:flex-1">
          {shown.base.mark_id !== shown.rover.mark_id && (
            <Button className="h-record!" disabled={!shown.base.mark_id} onClick={() => setDrawing("base")}>
              Base skyline
            </Button>
          )}
          <Button kind="primary" large disabled={!shown.rover.mark_id} onClick={() => setDrawing("rover")}>
            <PencilLine aria-hidden /> Rover skyline
          </Button>
        </div>
      }
    >
      <div className="flex flex-col gap-2">
        <Now job={job} shown={shown} step={step} at={props.at} />
        <section aria-label="Panorama" className="rounded border-2 border-line bg-page">
          <SkyPanorama
            arcs={shown.arcs}
            step={step}
            maskDeg={shown.mask_deg}
            skylines={linesOf(shown)}
            nominal={shown.elements.nominal}
            chosen={chosen}
            onChoose={(satellite) => setChosen(satellite === chosen ? null : satellite)}
          />
        </section>
        {arc && <p className="hidden text-lg hand:block">{wordsOf(arc, step)}</p>}
        <HourStrip shown={shown} step={step} onStep={props.onStep} clock={props.at} />
        <div className="flex flex-wrap items-end justify-between gap-x-6 gap-y-2">
          <DayChooser shown={shown} ask={props.ask} />
          <Ends {...props} />
        </div>
        <p className="leading-6">
          <b>Base</b> {shown.base.words}
          <br />
          <b>Rover</b> {shown.rover.words}
        </p>
        <FindingLines findings={shown.findings} />
      </div>
    </Page>
  );
}

function wordsOf(arc: Schemas["Arc"], step: number): string {
  const n = step - arc.first;
  const health = arc.healthy ? "" : ", not healthy by its own word";
  return `${arc.satellite} (${arc.constellation}), ${arc.elevations_deg[n]!.toFixed(0)}° up at ${arc.azimuths_deg[n]!.toFixed(0)}°: ${SEEN_BY[arc.seen_by[n] ?? "n"]}${health}.`;
}

/** The skylines of both ends as they are drawn in the picture. */
export function linesOf(shown: Schemas["SkyOfDay"]) {
  return [
    { name: "the base", heights: heightsOf(shown.base.skyline) },
    { name: "the rover", heights: heightsOf(shown.rover.skyline) },
  ];
}

/** The moment that is looked at: what a fix is expected to be worth, large. */
function Now({ job, shown, step, at }: { job: Schemas["JobView"]; shown: Schemas["SkyOfDay"]; step: number; at: (step: number) => string }) {
  const { hours } = shown;
  const sign = UNIT_SIGN[job.length_unit];
  const pdop = hours.pdop[step];
  return (
    <section aria-label="At this hour" className="grid grid-cols-[auto_auto_auto_1fr] items-end gap-x-8 hand:grid-cols-3 hand:gap-x-4">
      <Number label={`H 95 % at ${at(step)}`} value={length(hours.horizontal_95_m[step], job.length_unit)} sign={sign} />
      <Number label="V 95 %" value={length(hours.vertical_95_m[step], job.length_unit)} sign={sign} />
      <Number label="in common" value={String(hours.common[step] ?? 0)} sign={pdop == null ? "no position" : `PDOP ${pdop.toFixed(1)}`} />
      <div className="text-right hand:col-span-3 hand:text-left">
        <p className="text-xl leading-6 font-bold" data-testid="glance">
          {shown.glance}
        </p>
        <p className="text-faded">
          {shown.sun.words} {shown.base.name} to {shown.rover.name}, {shown.baseline_words}.
        </p>
      </div>
    </section>
  );
}

function Number({ label, value, sign }: { label: string; value: string; sign: string }) {
  return (
    <p className="flex flex-col">
      <span className="text-base whitespace-nowrap text-faded">{label}</span>
      <span className="text-5xl leading-12 font-bold whitespace-nowrap small:text-3xl" data-big>
        {value}
        <span className="ml-1 text-lg font-semibold small:text-base">{sign}</span>
      </span>
    </p>
  );
}

/** On which marks base and rover stand. */
function Ends({ job, shown, ask }: SkyProps) {
  return (
    <div className="grid w-96 grid-cols-2 gap-3 hand:w-full">
      <MarkPicker jobId={job.id} label="Base on" value={useMarkNamed(job.id, nameOf(shown.base))} onPick={(mark) => ask({ base_mark_id: mark.id })} />
      <MarkPicker jobId={job.id} label="Rover on" value={useMarkNamed(job.id, nameOf(shown.rover))} onPick={(mark) => ask({ rover_mark_id: mark.id })} />
    </div>
  );
}

/** The mark that an end stands on; empty where it stands in the job's middle. */
const nameOf = (end: Schemas["EndUnder"]) => (end.mark_id ? end.name : "");
