import { Ruler } from "lucide-react";
import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../api/client";
import { useCorrectRoverHeight, useRoverHeight } from "../api/watch";
import { clock, length, UNIT_SIGN } from "../lib/format";
import { Button, Note, Select, TextField } from "./controls";
import { PoleFields, type Pole } from "./pole";

type Scope = Schemas["HeightScope"]["scope"];

/** The rover height under a stored shot, corrected where it was typed wrongly: for this shot, or for all it was wrong for. */
export function RoverHeight({ job, shotId }: { job: Schemas["JobView"]; shotId: string }) {
  const [open, setOpen] = useState(false);
  if (open) return <Correction job={job} shotId={shotId} onClose={() => setOpen(false)} />;
  return (
    <Button className="self-start" onClick={() => setOpen(true)}>
      <Ruler aria-hidden size={18} /> Correct the rover height
    </Button>
  );
}

function Correction({ job, shotId, onClose }: { job: Schemas["JobView"]; shotId: string; onClose: () => void }) {
  const view = useRoverHeight(job.id, shotId);
  const correct = useCorrectRoverHeight(job.id, shotId);
  const [typed, setTyped] = useState<Pole | null>(null);
  const [reason, setReason] = useState("");
  const [picked, setPicked] = useState<Scope>("shot");
  const [now, before] = view.data?.readings ?? [];
  if (view.isError) return <Note tone="flag">{sentenceOf(view.error)}</Note>;
  if (!view.data || !now) return <p>Reading the heights.</p>;
  const pole = typed ?? { reading: now.text, feature: now.feature };
  const scopes = view.data.scopes;
  const scope = scopes.find((item) => item.scope === picked) ?? scopes[0];
  const problem = problemOf(correct.error);
  const send = (reading: string | null) =>
    correct.mutate(
      { replaces_id: now.id, reason, scope: scope?.scope ?? "shot", reading, feature: pole.feature },
      {
        // What is typed while the answer is under way stays.
        onSuccess: () => {
          setTyped((current) => (current === typed ? null : current));
          setReason((current) => (current === reason ? "" : current));
        },
      },
    );
  return (
    <section aria-label="Rover height" className="flex flex-col gap-3 rounded border-2 border-ink bg-page p-4">
      <div>
        <h3 className="text-xl font-bold">
          Rover height under {view.data.name}: {length(now.arp_height_m, job.length_unit)} {UNIT_SIGN[job.length_unit]}
        </h3>
        {view.data.readings.map((row, place) => (
          <p key={row.id} className={place === 0 ? "" : "text-faded"}>
            {place === 0 ? "Typed" : "Before"} '{row.text}', {row.feature_label}, {clock(row.created_s, job.time_zone).slice(0, 5)}
            {row.reason && `: ${row.reason}`}
          </p>
        ))}
      </div>
      <div className="grid grid-cols-[9rem_minmax(0,1fr)] gap-3">
        <PoleFields name="corrected_height" jobId={job.id} pole={pole} onPole={setTyped} problem={problem} />
      </div>
      <TextField
        label="Why"
        name="height_reason"
        value={reason}
        onChange={setReason}
        placeholder="clamp read wrongly"
        problem={problem?.field === "reason" ? problem.sentence : null}
      />
      <Select
        label="For"
        value={scope?.scope ?? "shot"}
        options={scopes.map((item) => ({ value: item.scope, label: item.words }))}
        onChange={(value) => setPicked(value as Scope)}
      />
      {view.data.then && <Note>{view.data.then}</Note>}
      {correct.isError && !(problem?.field === "reading" || problem?.field === "reason") && <Note tone="flag">{sentenceOf(correct.error)}</Note>}
      <CorrectionActions correct={correct} typed={typed} send={send} pole={pole} scope={scope} before={before} onClose={onClose} />
    </section>
  );
}

/** Put the height in place, for this shot or for all it belongs to. */
function CorrectionActions(props: {
  correct: ReturnType<typeof useCorrectRoverHeight>;
  typed: Pole | null;
  send: (reading: string | null) => void;
  pole: Pole;
  scope: Schemas["HeightScope"] | undefined;
  before: Schemas["HeightTyped"] | undefined;
  onClose: () => void;
}) {
  const { correct, typed, send, pole, scope, before, onClose } = props;
  return (
    <div className="flex flex-wrap gap-2">
      <Button kind="primary" disabled={correct.isPending || typed === null} onClick={() => send(pole.reading)}>
        {scope && scope.count > 1 ? `Correct ${scope.count} shots` : "Correct it"}
      </Button>
      {before && (
        <Button disabled={correct.isPending} onClick={() => send(null)}>
          Back to '{before.text}'
        </Button>
      )}
      <Button onClick={onClose}>Close</Button>
    </div>
  );
}
