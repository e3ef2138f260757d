import { Settings2, ShieldAlert, Undo2 } from "lucide-react";
import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useLive } from "../../api/live";
import { usePoints, useRecordPoint, useShotSettings, useTakeBack } from "../../api/watch";
import { length, UNIT_SIGN, type LengthUnit } from "../../lib/format";
import { Button, Note, Select, TextField, Toggle } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { PoleFields, usePole } from "../../ui/pole";
import { Drop, Hold, Record, ShotProgress } from "../../ui/shot";
import { PointList } from "./PointList";
import { ShotKinds } from "./ShotKinds";
import type { ViewProps } from "../../ui/view";

/** What is typed of the next point, and its recording. */
function usePointForm(jobId: string) {
  const settings = useShotSettings(jobId);
  const record = useRecordPoint(jobId);
  const [typed, setTyped] = useState({ kind: "topo", name: "", code: "", note: "", guard: true, tiltOff: false });
  const [pole, setPole] = usePole();
  const rover_id = useLive(({ live }) => live?.rover_id ?? null);
  const kinds = settings.data?.settings.kinds ?? [];
  const kind = kinds.find((item) => item.name === typed.kind) ?? null;
  const problem = problemOf(record.error);
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  const set = (more: Partial<typeof typed>) => setTyped((now) => ({ ...now, ...more }));
  const send = () => {
    const { guard, tiltOff, ...said } = typed;
    const tilt = kind?.tilt_off && tiltOff ? "off" : "";
    record.mutate({ ...said, ...pole, fixed_only: guard, rover_id, seconds: null, tilt }, { onSuccess: () => set({ name: "", note: "" }) });
  };
  return { settings, record, typed, set, pole, setPole, kinds, kind, problem, at, send };
}

type Form = ReturnType<typeof usePointForm>;

/** Points: the name counts up, the kind holds what must not be recorded, the list shows what is there. */
export function PointsView({ job, tabs }: ViewProps) {
  const form = usePointForm(job.id);
  const points = usePoints(job.id);
  const [editing, setEditing] = useState(false);
  const shot = useLive(({ live }) => live?.shot ?? null);
  const first = points.data?.pages[0];
  const { record, typed, problem, settings } = form;

  if (editing && settings.data) return <ShotKinds job={job} view={settings.data} onClose={() => setEditing(false)} />;
  return (
    <Page
      title="Points"
      why="Hold the pole plumb; what is outside the limits is not taken, and it says why."
      tabs={tabs}
      aside={
        shot ? (
          <ShotProgress shot={shot} />
        ) : record.isError && !problem?.field ? (
          <p className="font-semibold text-flag">{sentenceOf(record.error)}</p>
        ) : (
          <Hold jobId={job.id} fixedOnly={typed.guard} />
        )
      }
      action={
        shot ? (
          <Drop jobId={job.id} shot={shot} />
        ) : (
          <Record disabled={record.isPending || !form.kind} onRecord={form.send} word={typed.kind === "track" ? "Begin the track" : "Record"} />
        )
      }
    >
      {!typed.guard && (
        <p role="alert" className="mb-3 flex items-center gap-3 rounded border-4 border-flag bg-flagwash px-4 py-2 text-2xl font-bold text-flag">
          <ShieldAlert aria-hidden size={32} /> {first?.guard ?? "FIXED ONLY IS OFF"}
        </p>
      )}
      <div className="grid grid-cols-1 lg:grid-cols-[23rem_minmax(0,1fr)] gap-6">
        <PointFields job={job} form={form} first={first} onEdit={() => setEditing(true)} />
        <PointList job={job} kinds={form.kinds.map((item) => item.name)} />
      </div>
    </Page>
  );
}

/** What the next point is called, of which kind it is, and what holds it back. */
function PointFields(props: { job: Schemas["JobView"]; form: Form; first: Schemas["Points"] | undefined; onEdit: () => void }) {
  const { job, form, first } = props;
  const { typed, set, at } = form;
  const takeBack = useTakeBack(job.id);
  return (
    <div className="flex min-w-0 flex-col gap-3">
      <KindPicker job={job} form={form} />
      <div className="grid grid-cols-1 sm:grid-cols-2 gap-3">
        <TextField
          label={`Name, next is ${first?.next_name ?? ""}`}
          name="point_name"
          value={typed.name}
          onChange={(name) => set({ name })}
          placeholder={first?.next_name ?? ""}
          problem={at("name")}
        />
        <Select label="Code" value={typed.code} options={codesOf(form)} onChange={(code) => set({ code })} />
      </div>
      <div className="grid grid-cols-[8rem_minmax(0,1fr)] gap-3">
        <PoleFields jobId={job.id} pole={form.pole} onPole={form.setPole} problem={form.problem} />
      </div>
      <Toggle label="Fixed only" value={typed.guard} onChange={(guard) => set({ guard })} hint={typed.guard ? "" : "OFF: anything is taken."} />
      {form.kind?.tilt_off && (
        <>
          <Toggle label="Tilt compensation is off" value={typed.tiltOff} onChange={(tiltOff) => set({ tiltOff })} hint="As you say: NMEA has no word for it." />
          {at("tilt") && <p className="font-semibold text-flag">{at("tilt")}</p>}
        </>
      )}
      <TextField label="Note" name="point_note" value={typed.note} onChange={(note) => set({ note })} />
      <div className="grid grid-cols-1 sm:grid-cols-2 gap-3">
        <Button className="px-2!" onClick={props.onEdit}>
          <Settings2 aria-hidden size={18} /> Kinds and codes
        </Button>
        <Button className="px-2!" data-back disabled={takeBack.isPending || !first?.last_name} onClick={() => takeBack.mutate(undefined)}>
          <Undo2 aria-hidden size={18} className="shrink-0" /> {first?.last_name ? `Take ${first.last_name} back` : "Take back"}
        </Button>
      </div>
      {takeBack.isError && <Note tone="flag">{sentenceOf(takeBack.error)}</Note>}
    </div>
  );
}

function codesOf(form: Form) {
  const codes = form.settings.data?.settings.codes ?? [];
  return [{ value: "", label: "none" }, ...codes.map((item) => ({ value: item.code, label: item.code, detail: item.words }))];
}

/** The kinds of shot, one of them picked. */
function KindPicker({ job, form }: { job: Schemas["JobView"]; form: Form }) {
  return (
    <div role="radiogroup" aria-label="Kind of shot" className="grid grid-cols-4 gap-1">
      {form.kinds.map((item) => (
        <button
          key={item.name}
          type="button"
          role="radio"
          aria-checked={item.name === form.typed.kind}
          onClick={() => form.set({ kind: item.name })}
          className={`min-h-touch rounded border-2 leading-5 ${item.name === form.typed.kind ? "border-act bg-act font-bold text-onact" : "border-line bg-page"}`}
        >
          {item.name}
          <span className="block text-sm font-normal">{lasts(item, job.length_unit)}</span>
        </button>
      ))}
    </div>
  );
}

/** How long a kind lasts, or how far apart the points of a track are. */
function lasts(kind: Schemas["ShotKind"], unit: LengthUnit): string {
  if (kind.every_m != null) return `${length(kind.every_m, unit, 1)} ${UNIT_SIGN[unit]}`;
  if (kind.every_s != null) return `${kind.every_s} s`;
  return kind.seconds ? `${kind.seconds} s` : "1 epoch";
}
