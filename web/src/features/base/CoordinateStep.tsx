import { Radio, RadioGroup } from "@headlessui/react";
import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useSettle } from "../../api/queries";
import { clock, day, length, UNIT_SIGN } from "../../lib/format";
import { Button, Note, TextField } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { AveragePanel } from "./AveragePanel";
import { FrameStepChoice } from "./FrameStepChoice";

/** Where the base's coordinate comes from: what the mark had before, then the schools side by side. */
export function CoordinateStep(props: { job: Schemas["JobView"]; view: Schemas["BaseView"]; average: Schemas["AverageView"] | null }) {
  const { job, view } = props;
  const settle = useSettle(job.id);
  const { setup, sources } = view;
  const source = setup?.source ?? "";
  const school = sources.schools.find((item) => item.source === source);
  const unit = job.length_unit;
  return (
    <>
      {sources.memory.length > 0 && (
        <EarlierOnMark sources={sources} job={job} unit={unit} setup={setup} settle={settle} />
      )}
      <SourceChoice source={source} settle={settle} sources={sources} />
      {settle.isError && <Note tone="flag">{sentenceOf(settle.error)}</Note>}
      {school && (
        <p className="leading-6">
          <span className="font-semibold">For it: </span>
          {school.good} <span className="font-semibold">Against it: </span>
          {school.bad}
        </p>
      )}
      {source === "network" && <FromNetwork {...props} />}
      {school?.autonomous && (
        <AveragePanel
          key="base"
          job={job}
          purpose="base"
          average={props.average}
          stored={sources.average_base}
          suggestedUrl={setup?.receiver_url ?? view.suggested.receiver_url ?? ""}
        />
      )}
      {setup?.coordinate && (
        <Note>
          <span className="font-bold">Taken: </span>
          {setup.coordinate.detail}. Frame {setup.coordinate.frame}, epoch {setup.coordinate.frame_epoch}. Good to about{" "}
          {length(setup.coordinate.accuracy_horizontal_95_m, unit)} {UNIT_SIGN[unit]} horizontally and {length(setup.coordinate.accuracy_vertical_95_m, unit)}{" "}
          {UNIT_SIGN[unit]} in height (95 %).
        </Note>
      )}
      <FindingList findings={(setup?.findings ?? []).filter((item) => item.code.startsWith("mark-"))} />
    </>
  );
}

/** Where the coordinate comes from: what each gives, and what it costs. */
function SourceChoice(props: {
  source: "" | "mark" | "network" | "average" | "static" | "anywhere" | "remembered";
  settle: ReturnType<typeof useSettle>;
  sources: Schemas["Sources"];
}) {
  const { source, settle, sources } = props;
  return (
    <RadioGroup value={source} onChange={(next: Schemas["SourceMethod"]["source"]) => settle.mutate({ source: next as "mark" })} aria-label="Coordinate of the base">
      <div className="grid grid-cols-1 sm:grid-cols-[9rem_8rem_7rem_1fr] gap-x-3 px-3 text-base text-faded">
        <span>source</span>
        <span>good to</span>
        <span>next time</span>
        <span>must follow</span>
      </div>
      {sources.schools.map((item) => (
        <Radio
          key={item.source}
          value={item.source}
          className="grid min-h-touch cursor-pointer grid-cols-1 sm:grid-cols-[9rem_8rem_7rem_1fr] items-center gap-x-3 border-2 border-transparent border-t-line px-3 py-1 data-checked:rounded data-checked:border-ink data-checked:bg-page data-checked:shadow-[inset_6px_0_0_var(--grain)]"
        >
          <span className="leading-5 font-bold">{item.title}</span>
          <span className="text-base leading-5">{item.absolute}</span>
          <span className="text-base leading-5">{item.repeats}</span>
          <span className="text-base leading-5">{item.follows}</span>
        </Radio>
      ))}
    </RadioGroup>
  );
}

/** What this mark was occupied with before: offered by name. */
function EarlierOnMark(props: {
  sources: Schemas["Sources"];
  job: Schemas["JobView"];
  unit: Schemas["JobView"]["length_unit"];
  setup: Schemas["SetUpView"] | null;
  settle: ReturnType<typeof useSettle>;
}) {
  const { sources, job, unit, setup, settle } = props;
  return (
    <section aria-label="Earlier on this mark" className="rounded border-2 border-line bg-page px-4 py-2">
      <h3 className="font-bold">Earlier on this mark</h3>
      {sources.memory.map((item, place) => (
        <div key={item.id} className="flex items-center gap-3 border-t border-line py-1">
          <p className={`min-w-0 flex-1 leading-5 ${item.current ? "" : "text-faded"}`}>
            <span className="font-bold">{item.title}</span>
            {item.locked && ", locked"}, {day(item.created_s, job.time_zone)} {clock(item.created_s, job.time_zone).slice(0, 5)}, to about{" "}
            {length(item.accuracy_horizontal_95_m, unit)} {UNIT_SIGN[unit]}
            <span className="block text-base text-faded">
              {item.detail}; frame {item.frame}, epoch {item.frame_epoch}
              {!item.current && "; replaced since"}
            </span>
          </p>
          {setup?.evidence_id === item.id ? (
            <span className="font-bold text-checked">in use</span>
          ) : (
            <Button kind={place === 0 && !item.autonomous ? "primary" : "quiet"} onClick={() => settle.mutate({ source: "remembered", evidence_id: item.id })}>
              Use it again
            </Button>
          )}
        </div>
      ))}
    </section>
  );
}

/** An averaged fixed shot of this job on the mark, or a fresh one. */
function FromNetwork({ job, view, average }: { job: Schemas["JobView"]; view: Schemas["BaseView"]; average: Schemas["AverageView"] | null }) {
  const settle = useSettle(job.id);
  const { setup, sources } = view;
  return (
    <>
      {sources.shots.map((shot) => (
        <div key={shot.id} className="flex items-center justify-between gap-3 border-b border-line">
          <p>
            Shot of {day(shot.created_s, job.time_zone)} {clock(shot.created_s, job.time_zone).slice(0, 5)}, {shot.epochs} fixed epochs {shot.words}
          </p>
          {setup?.evidence_id === shot.id ? (
            <span className="font-bold text-checked">in use</span>
          ) : (
            <Button onClick={() => settle.mutate({ source: "network", evidence_id: shot.id })}>Use it</Button>
          )}
        </div>
      ))}
      <AveragePanel
        key="mark"
        job={job}
        purpose="mark"
        average={average}
        stored={sources.average_mark}
        suggestedUrl={setup?.rover_url ?? view.suggested.rover_url ?? ""}
      />
      {setup && <CasterFrame key={`${setup.caster_frame} ${setup.caster_epoch}`} job={job} setup={setup} />}
    </>
  );
}

/** The frame that the caster sends in: the job's, unless it is declared otherwise; then an operation is named for it. */
function CasterFrame({ job, setup }: { job: Schemas["JobView"]; setup: Schemas["SetUpView"] }) {
  const settle = useSettle(job.id);
  const [frame, setFrame] = useState(setup.caster_frame);
  const [epoch, setEpoch] = useState(setup.caster_epoch);
  const changed = frame !== setup.caster_frame || epoch !== setup.caster_epoch;
  return (
    <section aria-label="Frame of the caster" className="flex flex-col gap-2">
      <p>
        The caster is taken to send in <b>{setup.caster_frame ? `${setup.caster_frame}, epoch ${setup.caster_epoch || "not said"}` : setup.job_frame}</b>
        {setup.caster_frame ? "." : ", as the job. Where its operator says another frame, say so here."}
        {setup.caster_frame && !setup.caster_step && " The operation that leads to the job's frame is asked once there is an average or a shot."}
      </p>
      <div className="grid grid-cols-1 items-end gap-3 sm:grid-cols-[1fr_10rem_auto]">
        <TextField label="Another frame" name="caster_frame" value={frame} onChange={setFrame} placeholder="ITRF2020" />
        <TextField label="Epoch" name="caster_epoch" value={epoch} onChange={setEpoch} placeholder="2026.9" />
        <Button disabled={!changed || settle.isPending} onClick={() => settle.mutate({ caster_frame: frame, caster_epoch: epoch })}>
          {frame ? "Take this frame" : "As the job"}
        </Button>
      </div>
      <FrameStepChoice step={setup.caster_step} operation={setup.caster_operation} onOperation={(caster_operation) => settle.mutate({ caster_operation })} />
      {settle.isError && <Note tone="flag">{sentenceOf(settle.error)}</Note>}
    </section>
  );
}
