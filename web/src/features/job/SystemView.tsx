import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useChangeJob, useSystemView } from "../../api/queries";
import { Button, Note, Select, TextField } from "../../ui/controls";
import { LengthField } from "../../ui/length";
import { Page } from "../../ui/Page";
import type { ViewProps } from "../../ui/view";
import { UNITS } from "./NewJob";
import { SystemChooser, type ChosenSystem } from "./SystemChooser";
import { FactorsView } from "./system/Factors";
import { GroundFields } from "./system/GroundFields";
import { HeightFields } from "./system/HeightFields";
import { OperationFields } from "./system/OperationFields";
import type { PartProps } from "./system/parts";

type Job = Schemas["JobView"];
type Changes = Schemas["JobChanges"];

/** The system of the job: what its numbers mean, and by how much the grid differs from the ground. */
export function SystemView({ job, tabs }: ViewProps) {
  const view = useSystemView(job.id);
  const change = useChangeJob(job);
  const [changes, setChanges] = useState<Changes>({});
  const [system, setSystem] = useState<ChosenSystem | null>(null);
  const problem = problemOf(change.error);
  const set = (more: Changes) => setChanges({ ...changes, ...more });
  const touched = Object.keys(changes).length > 0 || system !== null;

  const datum = (
    <Section title="Datum of the positions">
      <OperationFields job={job} changes={changes} set={set} problem={problem} />
    </Section>
  );

  return (
    <Page
      title="System"
      why="What the job's numbers mean. A change moves no reading; every coordinate follows."
      tabs={tabs}
      aside={change.isError && <p className="font-semibold text-flag">{sentenceOf(change.error)}</p>}
      action={
        <Button
          kind="primary"
          large
          disabled={!touched || change.isPending}
          onClick={() => change.mutate(withSystem(changes, system))}
        >
          Change the settings
        </Button>
      }
    >
      {view.data && <FactorsView view={view.data} job={job} />}
      {view.isError && <Note tone="flag">{sentenceOf(view.error)}</Note>}
      <div className="mt-5 flex flex-col gap-6">
        {/* What everything waits for comes first. */}
        {job.datum_is_unsaid && datum}
        <Section title="Coordinate system">
          <SystemFields job={job} changes={changes} set={set} problem={problem} system={system} onSystem={setSystem} />
        </Section>
        <Section title="Heights">
          <HeightFields job={job} changes={changes} set={set} problem={problem} />
        </Section>
        {!job.is_local && (
          <Section title="Ground distances">
            <GroundFields job={job} view={view.data} changes={changes} set={set} problem={problem} />
          </Section>
        )}
        {!job.is_local && !job.datum_is_unsaid && datum}
      </div>
    </Page>
  );
}

/** The changes with another system in them, and with what was said of its datum. */
function withSystem(changes: Changes, system: ChosenSystem | null): Changes {
  if (!system) return changes;
  return { ...changes, system: system.wish, ...(system.operation ? { operation: system.operation } : {}) };
}

function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="flex flex-col gap-4 rounded border-2 border-line bg-page p-4">
      <h2 className="text-xl font-bold">{title}</h2>
      {children}
    </section>
  );
}

/** The coordinate system, and what its numbers are counted in and from. */
function SystemFields(props: PartProps & { system: ChosenSystem | null; onSystem: (system: ChosenSystem | null) => void }) {
  const { job, changes, set, problem } = props;
  const [changing, setChanging] = useState(false);
  const [place, setPlace] = useState({ latitude: "", longitude: "" });
  return (
    <>
          {<SystemNow changing={changing} changes={changes} job={job} system={props.system} onSystem={props.onSystem} place={place} setPlace={setPlace} setChanging={setChanging} />}
          <div className="grid grid-cols-1 sm:grid-cols-3 items-start gap-5">
            <Select
              label="Lengths are typed and shown in"
              value={changes.length_unit ?? job.length_unit}
              options={UNITS}
              onChange={(unit) => set({ length_unit: unit as Job["length_unit"] })}
            />
            <TextField
              label="Frame of the coordinates"
              name="frame_name"
              value={changes.frame_name ?? job.frame_name}
              onChange={(frame_name) => set({ frame_name })}
              placeholder={job.datum}
              hint="The realisation, where it is known: ETRF2000."
            />
            <TextField
              label="Epoch of the coordinates"
              name="frame_epoch"
              value={changes.frame_epoch ?? job.frame_epoch}
              onChange={(frame_epoch) => set({ frame_epoch })}
              placeholder="2010.0"
              hint="RTCM and NMEA do not carry it."
              problem={problem?.field === "frame_epoch" ? problem.sentence : null}
            />
            <LengthField
              label="Project height"
              name="project_height"
              unit={job.length_unit}
              value={changes.project_height ?? (job.project_height_m === null ? "" : `${job.project_height_m} m`)}
              onChange={(project_height) => set({ project_height })}
              hint="Ellipsoidal, for the elevation factor."
              problem={problem?.field === "project_height" ? problem.sentence : null}
            />
            <TextField
              label="Middle of the job: latitude"
              name="job_latitude"
              value={changes.latitude ?? job.place_latitude_deg?.toString() ?? ""}
              onChange={(text) => set({ latitude: text, longitude: changes.longitude ?? job.place_longitude_deg?.toString() ?? "" })}
              hint="Empty: the middle of the marks."
              problem={problem?.field === "latitude" ? problem.sentence : null}
            />
            <TextField
              label="and longitude"
              name="job_longitude"
              value={changes.longitude ?? job.place_longitude_deg?.toString() ?? ""}
              onChange={(text) => set({ longitude: text, latitude: changes.latitude ?? job.place_latitude_deg?.toString() ?? "" })}
              problem={problem?.field === "longitude" ? problem.sentence : null}
            />
          </div>
    </>
  );
}

/** The system of the job, or the choice of another. */
function SystemNow(props: {
  changing: boolean;
  changes: Schemas["JobChanges"];
  job: Schemas["JobView"];
  system: ChosenSystem | null;
  onSystem: (system: ChosenSystem | null) => void;
  place: { latitude: string; longitude: string };
  setPlace: (value: { latitude: string; longitude: string }) => void;
  setChanging: (value: boolean) => void;
}) {
  const { changing, changes, job, place, setPlace, setChanging } = props;
  return changing ? (
    <SystemChooser
      unit={changes.length_unit ?? job.length_unit}
      jobId={job.id}
      chosen={props.system}
      onChoose={props.onSystem}
      place={place}
      onPlace={setPlace}
    />
  ) : (
    <div className="flex items-center justify-between gap-4">
      <p>
        <b>
          {job.system_name}
          {job.system_code !== null && ` (EPSG:${job.system_code})`}
        </b>
        <span className="block text-faded">
          Datum: {job.datum}. {job.area}
        </span>
      </p>
      <Button onClick={() => setChanging(true)}>Another system</Button>
    </div>
  );
}
