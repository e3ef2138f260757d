import { Circle, X } from "lucide-react";
import type { Schemas } from "../api/client";
import { useLive } from "../api/live";
import { useWatch } from "../api/queries";
import { useDropShot } from "../api/watch";
import { Button, Progress } from "./controls";
import { Spoken } from "./Spoken";

/** What holds the recording back, as the server says it. */
export function Hold({ jobId, marked = true, fixedOnly }: { jobId: string; marked?: boolean; fixedOnly: boolean }) {
  const watch = useWatch(jobId);
  const holds = useLive(({ live }) => live?.holds) ?? watch.data?.holds;
  return <p className="text-faded">{!marked ? holds?.without_mark : fixedOnly ? holds?.fixed_only : holds?.any_epoch}</p>;
}

export function Record({ disabled, onRecord, word = "Record" }: { disabled: boolean; onRecord: () => void; word?: string }) {
  const listening = useLive(({ live }) => live !== null);
  return (
    <Button kind="primary" large data-record disabled={disabled || !listening} onClick={onRecord}>
      <Circle aria-hidden fill="currentColor" /> {word} <span className="text-base font-normal hand:hidden">(r)</span>
    </Button>
  );
}

/** Drop the shot in hand of the rover that is looked at, or end its track. */
export function Drop({ jobId, shot }: { jobId: string; shot: Schemas["ShotNow"] }) {
  const drop = useDropShot(jobId);
  const rover = useLive(({ live }) => live?.rover_id ?? "");
  return (
    <Button kind="danger" large data-drop onClick={() => drop.mutate(rover)}>
      <X aria-hidden /> {shot.track ? "End the track" : "Drop the shot"} <span className="text-base font-normal hand:hidden">(esc)</span>
    </Button>
  );
}

export function ShotProgress({ shot }: { shot: Schemas["ShotNow"] }) {
  return (
    <div>
      <Spoken>{shot.waiting_for ? `Waiting for ${shot.waiting_for}` : shot.track ? "A track is recorded" : "A shot is recorded"}</Spoken>
      {!shot.track && <Progress label="Shot" value={shot.collected_s} most={shot.wanted_s} />}
      {shot.by && <span className="float-right ml-3 font-bold">{shot.by}</span>}
      <p className={shot.waiting_for ? "text-xl font-bold text-flag" : "font-semibold"}>{shot.words}</p>
      {shot.unreported && <p className="font-semibold">{shot.unreported}</p>}
    </div>
  );
}
