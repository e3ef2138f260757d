import type { Schemas } from "../api/client";
import { sentenceOf } from "../api/client";
import { useMoveStand, useStand } from "../api/queries";
import { Button, Note } from "./controls";

/** Where a stand-in stands, and the way to walk it to a mark. Only practice jobs have one. */
export function PracticeStand(props: { jobId: string; who: "base" | "rover"; mark: Schemas["MarkView"] }) {
  const stand = useStand(props.jobId);
  const move = useMoveStand(props.jobId);
  if (!stand.data?.practice) return null;
  const there = (props.who === "base" ? stand.data.base_mark : stand.data.rover_mark) === props.mark.id;
  const thing = props.who === "base" ? "tripod" : "pole";
  const tape = props.who === "base" ? stand.data.tape_m : stand.data.rod_m;
  return (
    <Note>
      <div className="flex items-center justify-between gap-4">
        <p className="leading-6">
          <span className="font-bold">Practice. </span>
          {there ? `The stand-in ${thing} stands on ${props.mark.name}. ` : `The stand-in ${thing} does not stand on ${props.mark.name}. `}
          {there && tape != null && (props.who === "base" ? `The tape reads ${tape.toFixed(3)} m to the bottom of mount.` : `Its rod is ${tape.toFixed(3)} m.`)}
        </p>
        {!there && (
          <Button disabled={move.isPending} onClick={() => move.mutate({ who: props.who, mark_id: props.mark.id })}>
            {props.who === "base" ? "Set it up here" : "Walk it here"}
          </Button>
        )}
      </div>
      {move.isError && <p className="font-semibold text-flag">{sentenceOf(move.error)}</p>}
    </Note>
  );
}
