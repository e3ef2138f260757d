import { Navigation } from "lucide-react";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { sentenceOf, type Schemas } from "../../api/client";
import { useLive } from "../../api/live";
import { useGoTo } from "../../api/watch";
import { length, UNIT_SIGN } from "../../lib/format";
import { LinkButton, Note } from "../../ui/controls";
import { MarkPicker, useCurrentMark, useMarkNamed } from "../../ui/marks";
import { Page } from "../../ui/Page";
import { PoleFields, usePole } from "../../ui/pole";
import type { ViewProps } from "../../ui/view";

/** The way to a mark: distance and direction, big. */
export function GoToView({ job, tabs }: ViewProps) {
  const [picked, setPicked] = useState<Schemas["MarkView"] | null>(null);
  const [pole, setPole] = usePole();
  // Who comes from the plan of checks brings the mark's name along.
  const [params] = useSearchParams();
  const line = picked ? "" : (params.get("line") ?? "");
  const named = useMarkNamed(job.id, picked || line ? "" : (params.get("mark") ?? ""));
  const mark = useCurrentMark(job.id, picked ?? named);
  const rover = useLive(({ live }) => live?.rover_id ?? "");
  const way = useGoTo(job.id, { mark_id: mark?.id ?? "", fit_line_id: line, rover_id: rover, ...pole });
  const shown = mark || line ? way.data : undefined;
  return (
    <Page
      title={line && shown ? `Go to ${shown.mark_name}` : "Go to a mark"}
      why="From where the pole is now, by the same chain as a shot."
      tabs={tabs}
      action={
        mark ? (
          <LinkButton to={`/job/${job.id}/check?mark=${encodeURIComponent(mark.name)}`}>Check {mark.name}</LinkButton>
        ) : (
          line && shown && <LinkButton to={`/job/${job.id}/fit?view=measure&line=${line}`}>Measure {shown.mark_name}</LinkButton>
        )
      }
    >
      <div className="grid grid-cols-1 lg:grid-cols-[18rem_1fr] gap-6">
        <div className="flex flex-col gap-4">
          <MarkPicker jobId={job.id} label="Mark" value={mark} onPick={setPicked} />
          <PoleFields jobId={job.id} pole={pole} onPole={setPole} problem={null} />
        </div>
        <div className="min-w-0">
          {way.isError && (mark || line) && <Note tone="flag">{sentenceOf(way.error)}</Note>}
          {!mark && !line && <Note>Pick the mark to go to.</Note>}
          {shown && !shown.way && <Note>{shown.words}</Note>}
          {shown?.way && <GuidanceShown job={job} goTo={shown} way={shown.way} />}
        </div>
      </div>
    </Page>
  );
}

function GuidanceShown({ job, goTo, way }: { job: Schemas["JobView"]; goTo: Schemas["GoTo"]; way: Schemas["Guidance"] }) {
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const turn = way.turn_deg;
  return (
    <section className={`rounded border-2 bg-page p-5 ${way.there ? "border-checked" : "border-line"}`} aria-label={`Way to ${goTo.mark_name}`}>
      <div className="grid grid-cols-1 lg:grid-cols-[1fr_15rem] items-center gap-6">
        <div>
          <p className="text-[7rem] leading-none font-bold whitespace-nowrap" data-testid="distance">
            {length(way.distance_m, unit, way.distance_m < 100 ? 2 : 0)}
            <span className="ml-2 text-4xl">{sign}</span>
          </p>
          <p className="mt-2 text-4xl font-bold">{way.there ? `On ${goTo.mark_name}` : way.words}</p>
          <p className="mt-1 text-lg text-faded">
            {goTo.good_to_m === null ? "the receiver claims nothing" : `claimed to ${length(goTo.good_to_m, unit)} ${sign}, 95 %`}
          </p>
          {!way.there && (
            <p className="mt-1 text-2xl">
              {goTo.side}, {way.azimuth_deg.toFixed(0)}° from grid north
              {way.up_m !== null && `; ${length(Math.abs(way.up_m), unit)} ${sign} ${way.up_m > 0 ? "up" : "down"}`}
            </p>
          )}
        </div>
        {/* Turned by the way one walks where that is known, else by the grid: north up. */}
        <div className="flex flex-col items-center">
          <Navigation aria-hidden size={170} strokeWidth={1.5} fill="var(--checked)" className="text-checked" style={{ transform: `rotate(${(turn ?? way.azimuth_deg) - 45}deg)` }} />
          <p className="text-faded">{turn === null ? "north is up" : "the way you walk is up"}</p>
        </div>
      </div>
      <dl className="mt-4 grid grid-cols-1 sm:grid-cols-2 gap-x-8 border-t-2 border-line pt-3 text-2xl">
        <div>
          <dt className="text-lg text-faded">by the way you walk</dt>
          <dd className="font-bold">{way.turn_words || "–"}</dd>
        </div>
        <div>
          <dt className="text-lg text-faded">by the sun</dt>
          <dd className="font-bold">{way.sun_words || "–"}</dd>
        </div>
      </dl>
      {goTo.words && <p className="mt-2 font-semibold text-flag">{goTo.words}</p>}
    </section>
  );
}
