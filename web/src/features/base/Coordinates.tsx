import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useRestoreCoordinate, useTakeAnew } from "../../api/queries";
import { clock, day, length, UNIT_SIGN } from "../../lib/format";
import { Button, Note, TextField } from "../../ui/controls";
import { More } from "../../ui/More";
import { SolutionForm } from "./SolutionForm";

interface Props {
  job: Schemas["JobView"];
  occupationId: string;
  coordinates: Schemas["CoordinateView"][];
  locked: boolean;
  /** What the base's mark gives now, where that is another coordinate. */
  anew: string;
}

/** The coordinates a base had, the one in force on top; a static solution replaces it, and the way back is open. */
export function Coordinates(props: Props) {
  const { job, coordinates } = props;
  const [back, setBack] = useState<string | null>(null);
  const anew = useTakeAnew(job.id);
  const unit = job.length_unit;
  return (
    <>
      <ul>
        {coordinates.map((item, place) => (
          <li key={item.id} className="border-t border-line py-1">
            <div className="flex items-center gap-3">
              <p className={`min-w-0 flex-1 leading-5 ${place ? "text-faded" : ""}`}>
                <span className="font-bold">{place ? "before" : "in force"}</span>
                {item.locked && ", locked as control quality"}: {item.detail}, good to {length(item.accuracy_horizontal_95_m, unit)} {UNIT_SIGN[unit]}
                <span className="block text-base text-faded">
                  {day(item.created_s, job.time_zone)} {clock(item.created_s, job.time_zone).slice(0, 5)}, frame {item.frame}, epoch {item.frame_epoch}
                  {item.reason && `; ${item.reason}`}
                </span>
              </p>
              {place > 0 && <Button onClick={() => setBack(back === item.id ? null : item.id)}>Go back to it</Button>}
            </div>
            {back === item.id && <GoBack {...props} coordinateId={item.id} onClose={() => setBack(null)} />}
          </li>
        ))}
      </ul>
      {props.anew && (
        <div className="my-2 flex items-center gap-3">
          <Button kind="primary" disabled={anew.isPending} onClick={() => anew.mutate({ occupation_id: props.occupationId, reason: "", unlock: props.locked })}>
            {props.anew}
          </Button>
          {anew.isError && <Note tone="flag">{sentenceOf(anew.error)}</Note>}
        </div>
      )}
      <More title="Put in a coordinate computed from the raw data">
        <SolutionForm {...props} />
      </More>
    </>
  );
}

function GoBack(props: Props & { coordinateId: string; onClose: () => void }) {
  const [reason, setReason] = useState("");
  const restore = useRestoreCoordinate(props.job.id);
  return (
    <div className="flex flex-col gap-2 py-2">
      <TextField label="Why" name="why_back" value={reason} onChange={setReason} placeholder="the solution was of another day" />
      {props.locked && <Note>The present coordinate is locked as control quality. Going back unlocks it.</Note>}
      {restore.isError && <Note tone="flag">{sentenceOf(restore.error)}</Note>}
      <div className="flex gap-3">
        <Button onClick={props.onClose}>Leave it</Button>
        <Button
          kind="danger"
          disabled={!reason.trim() || restore.isPending}
          onClick={() =>
            restore.mutate(
              { occupation_id: props.occupationId, coordinate_id: props.coordinateId, reason, unlock: props.locked },
              { onSuccess: props.onClose },
            )
          }
        >
          {props.locked ? "Unlock and go back" : "Go back"}
        </Button>
      </div>
    </div>
  );
}
