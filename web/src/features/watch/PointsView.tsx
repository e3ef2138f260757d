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

/** Points: the name counts up, the kind holds what must not be recorded, the list shows what is there. */
export function PointsView({ job, tabs }: ViewProps) {
  const settings = useShotSettings(job.id);
  const points = usePoints(job.id);
  const record = useRecordPoint(job.id);
  const takeBack = useTakeBack(job.id);
  const [kindName, setKind] = useState("topo");
  const [name, setName] = useState("");
  const [code, setCode] = useState("");
  const [note, setNote] = useState("");
  const [guard, setGuard] = useState(true);
  const [tiltOff, setTiltOff] = useState(false);
  const [pole, setPole] = usePole();
  const [editing, setEditing] = useState(false);
  const shot = useLive(({ live }) => live?.shot ?? null);
  const rover = useLive(({ live }) => live?.rover_id ?? null);

  const kinds = settings.data?.settings.kinds ?? [];
  const kind = kinds.find((item) => item.name === kindName) ?? null;
  const first = points.data?.pages[0];
  const problem = problemOf(record.error);
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);

  const send = () =>
    record.mutate(
      {
        kind: kindName, name, code, note, fixed_only: guard, rover_id: rover, seconds: null, ...pole,
        tilt: kind?.tilt_off && tiltOff ? "off" : "",
      },
      {
        onSuccess: () => {
          setName("");
          setNote("");
        },
      },
    ); // prettier-ignore

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
          <Hold jobId={job.id} fixedOnly={guard} />
        )
      }
      action={
        shot ? (
          <Drop jobId={job.id} shot={shot} />
        ) : (
          <Record disabled={record.isPending || !kind} onRecord={send} word={kindName === "track" ? "Begin the track" : "Record"} />
        )
      }
    >
      {!guard && (
        <p role="alert" className="mb-3 flex items-center gap-3 rounded border-4 border-flag bg-flagwash px-4 py-2 text-2xl font-bold text-flag">
          <ShieldAlert aria-hidden size={32} /> {first?.guard ?? "FIXED ONLY IS OFF"}
        </p>
      )}
      <div className="grid grid-cols-1 lg:grid-cols-[23rem_minmax(0,1fr)] gap-6">
        <div className="flex min-w-0 flex-col gap-3">
          <div role="radiogroup" aria-label="Kind of shot" className="grid grid-cols-4 gap-1">
            {kinds.map((item) => (
              <button
                key={item.name}
                type="button"
                role="radio"
                aria-checked={item.name === kindName}
                onClick={() => setKind(item.name)}
                className={`min-h-touch rounded border-2 leading-5 ${item.name === kindName ? "border-act bg-act font-bold text-onact" : "border-line bg-page"}`}
              >
                {item.name}
                <span className="block text-sm font-normal">{lasts(item, job.length_unit)}</span>
              </button>
            ))}
          </div>
          <div className="grid grid-cols-1 sm:grid-cols-2 gap-3">
            <TextField
              label={`Name, next is ${first?.next_name ?? ""}`}
              name="point_name"
              value={name}
              onChange={setName}
              placeholder={first?.next_name ?? ""}
              problem={at("name")}
            />
            <Select
              label="Code"
              value={code}
              options={[
                { value: "", label: "none" },
                ...(settings.data?.settings.codes ?? []).map((item) => ({ value: item.code, label: item.code, detail: item.words })),
              ]}
              onChange={setCode}
            />
          </div>
          <div className="grid grid-cols-[8rem_minmax(0,1fr)] gap-3">
            <PoleFields jobId={job.id} pole={pole} onPole={setPole} problem={problem} />
          </div>
          <Toggle label="Fixed only" value={guard} onChange={setGuard} hint={guard ? "" : "OFF: anything is taken."} />
          {kind?.tilt_off && (
            <>
              <Toggle label="Tilt compensation is off" value={tiltOff} onChange={setTiltOff} hint="As you say: NMEA has no word for it." />
              {at("tilt") && <p className="font-semibold text-flag">{at("tilt")}</p>}
            </>
          )}
          <TextField label="Note" name="point_note" value={note} onChange={setNote} />
          <div className="grid grid-cols-1 sm:grid-cols-2 gap-3">
            <Button className="px-2!" onClick={() => setEditing(true)}>
              <Settings2 aria-hidden size={18} /> Kinds and codes
            </Button>
            <Button className="px-2!" data-back disabled={takeBack.isPending || !first?.last_name} onClick={() => takeBack.mutate(undefined)}>
              <Undo2 aria-hidden size={18} /> Take {first?.last_name || "the last"} back
            </Button>
          </div>
          {takeBack.isError && <Note tone="flag">{sentenceOf(takeBack.error)}</Note>}
        </div>
        <PointList job={job} kinds={kinds.map((item) => item.name)} />
      </div>
    </Page>
  );
}

/** How long a kind lasts, or how far apart the points of a track are. */
function lasts(kind: Schemas["ShotKind"], unit: LengthUnit): string {
  if (kind.every_m != null) return `${length(kind.every_m, unit, 1)} ${UNIT_SIGN[unit]}`;
  if (kind.every_s != null) return `${kind.every_s} s`;
  return kind.seconds ? `${kind.seconds} s` : "1 epoch";
}
