import { useDeferredValue, useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useSystemForms, useSystems, useTrySystem } from "../../api/queries";
import { latitude, length, longitude, UNIT_SIGN } from "../../lib/format";
import { Button, Note, Select, TextField } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { FieldForm, type Values } from "../../ui/form";
import { OperationChooser, type OperationRequest } from "./system/OperationChooser";

export interface ChosenSystem {
  wish: Schemas["SystemRequest"];
  label: string;
  area: string;
  /** How positions come into its datum; undefined where that was not said. */
  operation?: OperationRequest;
}

type Kind = "code" | "local" | "own" | "text";
const KINDS = [
  { value: "code", label: "A published system", detail: "by name, place or EPSG code" },
  { value: "local", label: "Assumed local", detail: "a corner of 5000, 5000; no projection" },
  { value: "own", label: "By its parameters", detail: "transverse Mercator or Lambert" },
  { value: "text", label: "By WKT or PROJ text", detail: "anything else" },
];

/** A coordinate system: found, assumed, or described; tried on the job's marks and place before it is taken. */
export function SystemChooser(props: {
  unit: Schemas["JobView"]["length_unit"];
  jobId?: string;
  chosen: ChosenSystem | null;
  onChoose: (chosen: ChosenSystem | null) => void;
  place: { latitude: string; longitude: string };
  onPlace: (place: { latitude: string; longitude: string }) => void;
}) {
  const { chosen } = props;
  const [kind, setKind] = useState<Kind>("code");
  if (chosen)
    return (
      <div className="flex flex-col gap-3">
        <div className="flex items-center justify-between gap-4 rounded border-2 border-checked bg-checkedwash px-4 py-2">
          <span>
            <span className="block font-bold">{chosen.label}</span>
            <span className="text-faded">{chosen.area}</span>
          </span>
          <Button onClick={() => props.onChoose(null)}>Change</Button>
        </div>
        <Tried {...props} chosen={chosen} />
      </div>
    );
  return (
    <div className="flex flex-col gap-4">
      <Select label="Coordinate system" value={kind} options={KINDS} onChange={(next) => setKind(next as Kind)} />
      {kind === "code" && <ByCode {...props} />}
      {kind === "local" && <Local {...props} />}
      {kind === "own" && <ByParameters {...props} />}
      {kind === "text" && <ByText {...props} />}
    </div>
  );
}

type PartProps = Parameters<typeof SystemChooser>[0];

function ByCode(props: PartProps) {
  const [text, setText] = useState("");
  const query = useDeferredValue({ text, ...props.place });
  const found = useSystems("systems", query);
  const problem = problemOf(found.error);
  return (
    <div>
      <div className="grid grid-cols-1 sm:grid-cols-[1fr_11rem_11rem] items-start gap-4">
        <TextField
          label="Name, place or code"
          name="system"
          value={text}
          onChange={setText}
          placeholder="irish transverse, vermont, 2157"
          hint="Of a classical datum the operation into it is asked next."
        />
        <TextField
          label="or latitude"
          name="latitude"
          value={props.place.latitude}
          onChange={(value) => props.onPlace({ ...props.place, latitude: value })}
          placeholder="53.34 N"
          problem={problem?.field === "latitude" && props.place.latitude ? problem.sentence : null}
        />
        <TextField
          label="and longitude"
          name="longitude"
          value={props.place.longitude}
          onChange={(value) => props.onPlace({ ...props.place, longitude: value })}
          placeholder="6.26 W"
          problem={problem?.field === "longitude" && props.place.longitude ? problem.sentence : null}
        />
      </div>
      {found.data?.length === 0 && <p className="mt-2">No projected system is named like that{props.place.latitude && " and holds that place"}.</p>}
      <ul className="mt-2 max-h-44 overflow-auto">
        {found.data?.map((system) => (
          <li key={system.code}>
            <button
              type="button"
              onClick={() =>
                props.onChoose({ wish: { kind: "code", code: system.code }, label: `${system.name} (EPSG:${system.code})`, area: system.area })
              }
              className="flex min-h-touch w-full items-center justify-between gap-4 border-b border-line bg-page px-3 py-1 text-left hover:bg-lath/40"
            >
              <span>
                <span className="font-semibold">{system.name}</span>
                {system.deprecated && <span className="ml-2 font-bold text-flag">deprecated</span>}
                <span className="block text-sm text-faded">{system.area}</span>
              </span>
              <span className="text-right whitespace-nowrap">
                {system.code}
                <span className="block text-sm text-faded">{system.unit}</span>
              </span>
            </button>
          </li>
        ))}
      </ul>
    </div>
  );
}

function Local(props: PartProps) {
  const forms = useSystemForms();
  const [anchor, setAnchor] = useState<Values | null>(null);
  const corner = { east_m: "5000", north_m: "5000" };
  return (
    <div className="flex flex-col gap-3">
      <Note>
        Local coordinates in ground distances, north as somebody chose it. Marks and plan work at once. For the rover, the system
        needs a place on Earth: type one now, or let the base&apos;s average give it later.
      </Note>
      {anchor && forms.data && <FieldForm unit={props.unit} fields={forms.data.forms.anchor ?? []} values={anchor} onChange={setAnchor} columns={3} />}
      <div className="flex gap-3">
        <Button onClick={() => setAnchor(anchor ? null : corner)}>{anchor ? "Without a place" : "Type its place on Earth"}</Button>
        <Button
          kind="primary"
          onClick={() =>
            props.onChoose({
              wish: { kind: "local", anchor },
              label: "Assumed local system",
              area: anchor ? "placed on Earth by one point" : "not placed on Earth yet",
            })
          }
        >
          Use an assumed system
        </Button>
      </div>
    </div>
  );
}

function ByParameters(props: PartProps) {
  const forms = useSystemForms();
  const [own, setOwn] = useState<Values>({ method: "transverse-mercator", ellipsoid: "GRS 1980", scale: "1" });
  const wish: Schemas["SystemRequest"] = { kind: "own", own };
  const tried = useTried(props, String(own.name ?? "").trim() ? wish : null);
  const problem = problemOf(tried.error);
  return (
    <div className="flex flex-col gap-3">
      <FieldForm unit={props.unit} fields={forms.data?.forms.own ?? []} values={own} onChange={setOwn} problem={problem} columns={3} />
      <TakeTried {...props} wish={wish} tried={tried} />
    </div>
  );
}

function ByText(props: PartProps) {
  const [text, setText] = useState("");
  const [label, setLabel] = useState("");
  const wish: Schemas["SystemRequest"] = { kind: "text", text, label };
  const tried = useTried(props, text.trim() ? wish : null);
  return (
    <div className="flex flex-col gap-3">
      <TextField label="What it is called" name="system_label" value={label} onChange={setLabel} />
      <label className="flex flex-col gap-1 font-semibold">
        WKT 2 or PROJ text
        <textarea
          name="system_text"
          rows={5}
          value={text}
          onChange={(event) => setText(event.target.value)}
          className="rounded border-2 border-line bg-page p-3 font-mono text-base font-normal"
          placeholder="PROJCRS[...] or +proj=..."
        />
      </label>
      <TakeTried {...props} wish={wish} tried={tried} />
    </div>
  );
}

function useTried(
  props: PartProps,
  wish: Schemas["SystemRequest"] | null,
  more: { source: string; operation: Values | null } = { source: "", operation: null },
) {
  const body = useDeferredValue(
    wish && { system: wish, length_unit: props.unit, job_id: props.jobId ?? null, frame_epoch: "", ...props.place, ...more },
  );
  return useTrySystem(body);
}

function TakeTried(props: PartProps & { wish: Schemas["SystemRequest"]; tried: ReturnType<typeof useTrySystem> }) {
  const { tried } = props;
  return (
    <>
      {tried.isError && <Note tone="flag">{sentenceOf(tried.error)}</Note>}
      {tried.data && !tried.isError && (
        <>
          <TriedView tried={tried.data} unit={props.unit} />
          <div>
            <Button kind="primary" onClick={() => props.onChoose({ wish: props.wish, label: tried.data.label, area: tried.data.datum })}>
              Use {tried.data.label}
            </Button>
          </div>
        </>
      )}
    </>
  );
}

/** The system that is chosen, tried; of a classical datum it asks how positions come into it. */
function Tried(props: PartProps & { chosen: ChosenSystem }) {
  const { chosen } = props;
  const [source, setSource] = useState("");
  const tried = useTried(props, chosen.wish, { source, operation: chosen.operation ?? null });
  if (tried.isError) return <Note tone="flag">{sentenceOf(tried.error)}</Note>;
  if (!tried.data) return null;
  const classical = tried.data.datum_kind === "classical" || Boolean(chosen.operation);
  return (
    <>
      <TriedView tried={tried.data} unit={props.unit} />
      {classical && (
        <OperationChooser
          source={source}
          onSource={setSource}
          operations={tried.data.operations}
          wish={chosen.operation}
          onRequest={(operation) => props.onChoose({ ...chosen, operation })}
          inForce={null}
          isGnss={false}
          mayBeGnss={tried.data.may_be_gnss}
        />
      )}
    </>
  );
}

/** Where the job's marks and its place fall: the eye sees a wrong zone at once. */
function TriedView({ tried, unit }: { tried: Schemas["TriedSystem"]; unit: Schemas["JobView"]["length_unit"] }) {
  return (
    <div className="flex flex-col gap-3">
      {tried.place && (
        <p>
          The place typed has east <b>{length(tried.place.east_m, unit)}</b>, north <b>{length(tried.place.north_m, unit)}</b> {UNIT_SIGN[unit]}.
        </p>
      )}
      {tried.place_words && <p>{tried.place_words}</p>}
      <FindingList findings={tried.findings} />
      {tried.marks.length > 0 && (
        <div>
          <p className="font-semibold">Here the job&apos;s marks would fall. Are they where you stand?</p>
          <ul className="grid max-h-40 grid-cols-1 sm:grid-cols-3 gap-x-6 overflow-auto text-base">
            {tried.marks.map((mark) => (
              <li key={mark.name} className={mark.inside ? "" : "font-semibold text-flag"}>
                <b>{mark.name}</b>{" "}
                {mark.latitude_deg === null || mark.longitude_deg === null
                  ? "nowhere"
                  : `${latitude(mark.latitude_deg, 4)} ${longitude(mark.longitude_deg, 4)}`}
                {!mark.inside && mark.latitude_deg !== null && " outside"}
              </li>
            ))}
          </ul>
        </div>
      )}
    </div>
  );
}
