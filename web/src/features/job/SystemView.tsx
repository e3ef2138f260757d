import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useAddGeoid, useChangeJob, useGeoids, useOperations, useSystemForms, useSystems, useSystemView } from "../../api/queries";
import { latitude, length, longitude, partsPerMillion, UNIT_SIGN } from "../../lib/format";
import { Button, Figure, FileButton, Note, Select, TextField } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { asTyped, FieldForm, type Values } from "../../ui/form";
import { MarkPicker } from "../../ui/marks";
import { LengthField } from "../../ui/length";
import { Page } from "../../ui/Page";
import { SearchSelect } from "../../ui/search";
import type { ViewProps } from "./JobPage";
import { UNITS } from "./NewJob";
import { SystemChooser, type ChosenSystem } from "./SystemChooser";

type Job = Schemas["Job"];
type Changes = Schemas["JobChanges"];

/** The system of the job: what its numbers mean, and by how much the grid differs from the ground. */
export function SystemView({ job, tabs }: ViewProps) {
  const view = useSystemView(job.id);
  const change = useChangeJob(job);
  const [changes, setChanges] = useState<Changes>({});
  const [system, setSystem] = useState<ChosenSystem | null>(null);
  const [changing, setChanging] = useState(false);
  const [place, setPlace] = useState({ latitude: "", longitude: "" });
  const problem = change.error instanceof Problem ? change.error : null;
  const set = (more: Changes) => setChanges({ ...changes, ...more });
  const touched = Object.keys(changes).length > 0 || system !== null;

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
          onClick={() => change.mutate(system ? { ...changes, system: system.wish } : changes)}
        >
          Change the settings
        </Button>
      }
    >
      {view.data && <FactorsView view={view.data} job={job} />}
      {view.isError && <Note tone="flag">{sentenceOf(view.error)}</Note>}
      <div className="mt-5 flex flex-col gap-6">
        <Section title="Coordinate system">
          {changing ? (
            <SystemChooser
              unit={changes.length_unit ?? job.length_unit}
              jobId={job.id}
              chosen={system}
              onChoose={setSystem}
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
          )}
          <div className="grid grid-cols-3 items-start gap-5">
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
        </Section>
        <Section title="Heights">
          <Heights job={job} changes={changes} set={set} problem={problem} />
        </Section>
        {!job.is_local && (
          <Section title="Ground distances">
            <GroundFields job={job} view={view.data} changes={changes} set={set} problem={problem} />
          </Section>
        )}
        {!job.is_local && (
          <Section title="Datum of the positions">
            <OperationFields job={job} changes={changes} set={set} problem={problem} />
          </Section>
        )}
      </div>
    </Page>
  );
}

function Section({ title, children }: { title: string; children: React.ReactNode }) {
  return (
    <section className="flex flex-col gap-4 rounded border-2 border-line bg-page p-4">
      <h2 className="text-xl font-bold">{title}</h2>
      {children}
    </section>
  );
}

function FactorsView({ view, job }: { view: Schemas["SystemView"]; job: Job }) {
  const { factors, place } = view;
  const unit = job.length_unit;
  return (
    <div className="flex flex-col gap-4">
      {factors && place && (
        <div className="grid grid-cols-[1.4fr_1fr_1fr_1fr] gap-4 rounded border-2 border-line bg-page p-4">
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

interface PartProps {
  job: Job;
  changes: Changes;
  set: (more: Changes) => void;
  problem?: Problem | null;
}

function Heights({ job, changes, set, problem }: PartProps) {
  const geoids = useGeoids();
  const add = useAddGeoid();
  const [text, setText] = useState("");
  const verticals = useSystems("verticals", { text });
  const chosen = changes.geoid_id === undefined ? job.geoid_id : changes.geoid_id;
  const vertical = changes.vertical_system ?? job.vertical_system;
  return (
    <div className="grid grid-cols-2 gap-5">
      <SearchSelect
        label="Elevations are counted from"
        value={vertical ? { id: vertical, label: vertical, detail: "" } : null}
        found={(verticals.data ?? []).map((item) => {
          const name = `${item.name} (EPSG:${item.code})`;
          return { id: name, label: name, detail: item.area };
        })}
        more={0}
        onSearch={setText}
        onPick={(item) => set({ vertical_system: item.id })}
        hint="Type a part of its name: Malin, NAVD88."
      />
      <div className="flex flex-col gap-2">
        <Select
          label="Geoid grid"
          value={chosen ?? ""}
          options={[{ value: "", label: "none: heights stay ellipsoidal" }, ...(geoids.data ?? []).map(geoidOption)]}
          onChange={(id) => set({ geoid_id: id || null })}
          hint="Outside the grid, or without one, there is no elevation."
        />
        <div>
          <FileButton
            label="Geoid grid file"
            accept=".gtx,.tif,.tiff"
            disabled={add.isPending}
            onFile={(file) => add.mutate(file, { onSuccess: (grid) => set({ geoid_id: grid.id }) })}
          >
            {add.isPending ? "Reading the grid" : "Add a grid (.gtx or GeoTIFF)"}
          </FileButton>
        </div>
        {add.isError && <Note tone="flag">{sentenceOf(add.error)}</Note>}
      </div>
      <LengthField
        label="Readings of one antenna height agree to"
        name="height_limit"
        unit={job.length_unit}
        value={changes.height_limit ?? `${Number((job.height_limit_m * 1000).toFixed(2))} mm`}
        onChange={(height_limit) => set({ height_limit })}
        hint="2 to 3 mm is usual. Beyond it the Base page says stop."
        problem={problem?.field === "height_limit" ? problem.sentence : null}
      />
    </div>
  );
}

function geoidOption(grid: Schemas["Geoid"]) {
  if (grid.problem || grid.south_deg === null || grid.north_deg === null || grid.west_deg === null || grid.east_deg === null)
    return { value: grid.id, label: grid.name, detail: grid.problem };
  const area = `${latitude(grid.south_deg, 1)} to ${latitude(grid.north_deg, 1)}, ${longitude(grid.west_deg, 1)} to ${longitude(grid.east_deg, 1)}`;
  return { value: grid.id, label: grid.name, detail: `${area}, every ${Number(grid.latitude_step_min?.toFixed(2))}′` };
}

function GroundFields({ job, view, changes, set, problem }: PartProps & { view: Schemas["SystemView"] | undefined }) {
  const forms = useSystemForms();
  const fields = forms.data?.forms.ground ?? [];
  const before = job.ground ? asTyped(fields, job.ground as unknown as Values) : null;
  const ground = changes.ground === undefined ? before : (changes.ground as Values | null);
  const factor = view?.factors?.combined_factor;
  const [origin, setOrigin] = useState<Schemas["Mark"] | null>(null);
  return (
    <>
      <div className="flex items-center justify-between gap-4">
        <p className="text-faded">
          {ground
            ? "Coordinates are stretched to the ground about the origin, which keeps its grid coordinates."
            : "Coordinates are those of the grid. For distances as taped, divide by a project combined factor about a named origin."}
        </p>
        <Button
          className="shrink-0"
          onClick={() => set({ ground: ground ? null : { origin_name: "", combined_factor: factor ? factor.toFixed(8) : "" } })}
        >
          {ground ? "Grid distances" : "Ground distances"}
        </Button>
      </div>
      {ground && !job.ground && (
        <MarkPicker
          jobId={job.id}
          label="Origin: a mark of the list"
          value={origin}
          onPick={(mark) => {
            setOrigin(mark);
            set({ ground: { ...ground, origin_name: mark.name, east_m: mark.typed.east_m ?? `${mark.east_m} m`, north_m: mark.typed.north_m ?? `${mark.north_m} m` } });
          }}
        />
      )}
      {ground && <FieldForm unit={job.length_unit} fields={fields} values={ground} onChange={(values) => set({ ground: values })} problem={problem} columns={2} />}
    </>
  );
}

/** Positions stay in the base's frame unless an operation is chosen here by name. */
function OperationFields({ job, changes, set, problem }: PartProps) {
  const forms = useSystemForms();
  const [source, setSource] = useState("");
  const operations = useOperations(job.id, source);
  const wish = changes.operation as Values | null | undefined;
  const shift = wish?.shift as Values | undefined;
  return (
    <>
      <Note>
        {job.operation && wish === undefined ? (
          <>
            Positions go through <b>{job.operation}</b>.
          </>
        ) : (
          <>
            Positions are in the frame of the base&apos;s coordinate and are projected within the job&apos;s own datum. Nothing is shifted unless you
            choose an operation here.
          </>
        )}
      </Note>
      <div className="grid grid-cols-2 items-start gap-5">
        <Select
          label="Positions come in"
          value={shift ? "shift" : source}
          options={[
            { value: "", label: job.operation ? "as chosen before" : "the job's own datum" },
            ...(job.operation ? [{ value: "none", label: "the job's own datum, no operation" }] : []),
            ...(forms.data?.position_frames ?? []).map((frame) => ({ value: frame, label: frame })),
            { value: "shift", label: "WGS 84, by a shift of my own" },
          ]}
          onChange={(next) => {
            setSource(next === "shift" || next === "none" ? "" : next);
            if (next === "shift") set({ operation: { shift: { convention: "position-vector" } } });
            else if (next === "none") set({ operation: null });
            else if (wish !== undefined) set({ operation: job.operation ? undefined : null } as Changes);
          }}
        />
        {source && (
          <Select
            label="Operation"
            value={String(wish?.name ?? "")}
            options={(operations.data?.operations ?? []).map((item) => ({
              value: item.name,
              label: item.name,
              detail: item.accuracy_m === null ? "accuracy unknown" : `good to ${item.accuracy_m} m`,
            }))}
            onChange={(name) => set({ operation: { source, name } })}
            hint={operationHint(operations.data)}
          />
        )}
      </div>
      {shift && (
        <>
          <p className="text-faded">From the job&apos;s datum to WGS 84: metres, arc-seconds, ppm. Three parameters: leave rotations and scale empty.</p>
          <FieldForm
            unit="m"
            fields={forms.data?.forms.shift ?? []}
            values={shift}
            onChange={(values) => set({ operation: { shift: values } })}
            problem={problem}
            columns={3}
          />
        </>
      )}
    </>
  );
}

function operationHint(found: Schemas["Operations"] | undefined): string {
  if (!found) return "";
  const without = found.without_grid.length ? ` Needs a grid file that is not here: ${found.without_grid.join("; ")}.` : "";
  if (!found.operations.length) return `None is offered: the frames are the same, need the epoch, or are known only as a ballpark.${without}`;
  return without.trim();
}
