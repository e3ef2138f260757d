import { Circle, Settings2, ShieldAlert, Undo2, X } from "lucide-react";
import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useLive } from "../../api/live";
import { useWatch } from "../../api/queries";
import { useDropShot, usePoints, useRecordPoint, useShotSettings, useTakeBack } from "../../api/watch";
import { Button, Note, Progress, Select, TextField, Toggle } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { PointList } from "./PointList";
import { PoleFields, usePole } from "./pole";
import { ShotKinds } from "./ShotKinds";
import type { WatchViewProps } from "./WatchPage";

/** Points: the name counts up, the kind holds what must not be recorded, the list shows what is there. */
export function PointsView({ job, tabs }: WatchViewProps) {
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
  const problem = record.error instanceof Problem ? record.error : null;
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

  if (editing && settings.data) return <ShotKinds job={job} tabs={tabs} view={settings.data} onClose={() => setEditing(false)} />;
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
          <Hold jobId={job.id} guard={guard} />
        )
      }
      action={
        shot ? (
          <Drop jobId={job.id} roverId={rover ?? ""} track={shot.kind === "track"} />
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
      <div className="grid grid-cols-[23rem_minmax(0,1fr)] gap-6">
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
                <span className="block text-sm font-normal">{lasts(item)}</span>
              </button>
            ))}
          </div>
          <div className="grid grid-cols-2 gap-3">
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
          <div className="grid grid-cols-2 gap-3">
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

function lasts(kind: Schemas["ShotKind"]): string {
  if (kind.name === "track") return kind.every_m != null ? `${kind.every_m} m` : `${kind.every_s} s`;
  return kind.seconds ? `${kind.seconds} s` : "1 epoch";
}

/** What holds the recording back, as the server says it. */
function Hold({ jobId, guard }: { jobId: string; guard: boolean }) {
  const watch = useWatch(jobId);
  const holds = useLive(({ live }) => live?.holds) ?? watch.data?.holds;
  return <p className="text-faded">{guard ? holds?.fixed_only : holds?.any_epoch}</p>;
}

function Record({ disabled, onRecord, word }: { disabled: boolean; onRecord: () => void; word: string }) {
  const listening = useLive(({ live }) => live !== null);
  return (
    <Button kind="primary" large data-record disabled={disabled || !listening} onClick={onRecord}>
      <Circle aria-hidden fill="currentColor" /> {word} <span className="text-base font-normal">(r)</span>
    </Button>
  );
}

function Drop({ jobId, roverId, track }: { jobId: string; roverId: string; track: boolean }) {
  const drop = useDropShot(jobId);
  return (
    <Button kind="danger" large data-drop onClick={() => drop.mutate(roverId)}>
      <X aria-hidden /> {track ? "End the track" : "Drop"} <span className="text-base font-normal">(esc)</span>
    </Button>
  );
}

function ShotProgress({ shot }: { shot: Schemas["ShotNow"] }) {
  if (shot.waiting_for) return <p className="text-xl font-bold text-flag" aria-live="polite">{`Held back: waiting for ${shot.waiting_for}.`}</p>;
  if (shot.kind === "track") return <p className="text-xl font-bold" aria-live="polite">{`The track runs: ${shot.points} points.`}</p>;
  return (
    <div aria-live="polite">
      <Progress label="Shot" value={shot.collected_s} most={shot.wanted_s} />
      <p className="font-semibold">{`${shot.collected_s.toFixed(0)} of ${shot.wanted_s.toFixed(0)} s, ${shot.epochs} epochs. Keep the pole plumb.`}</p>
      {shot.unreported && <p className="font-semibold">{shot.unreported}</p>}
    </div>
  );
}
