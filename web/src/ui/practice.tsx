import type { Schemas } from "../api/client";
import { sentenceOf } from "../api/client";
import { useCutLink, useLetTimePass, useMoveStand, usePracticeTime, useStand } from "../api/queries";
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

type Offered = Schemas["Offered"];

/** Time that nobody wants to sit through: a press lets it pass, in this job alone. */
export function PracticeWait({ jobId }: { jobId: string }) {
  const time = usePracticeTime(jobId);
  const pass = useLetTimePass(jobId);
  if (!time.data?.practice) return null;
  return <Practise words={`Let time pass in this job${time.data.words && `; ${time.data.words}`}.`} offered={time.data.waits} asked={pass} />;
}

/** The link cut for a while, to see what the rover then shows. */
export function PracticeCut({ jobId }: { jobId: string }) {
  const time = usePracticeTime(jobId);
  const cut = useCutLink(jobId);
  if (!time.data?.practice) return null;
  return <Practise words="Cut the link to the rover for a while, and watch the age." offered={time.data.cuts} asked={cut} />;
}

function Practise(props: { words: string; offered: Offered[]; asked: ReturnType<typeof useLetTimePass> }) {
  const { asked } = props;
  return (
    <Note>
      <div className="flex flex-wrap items-center justify-between gap-3">
        <p className="leading-6">
          <span className="font-bold">Practice. </span>
          {props.words}
        </p>
        <div className="flex flex-wrap gap-2">
          {props.offered.map(({ seconds, words }) => (
            <Button key={seconds} disabled={asked.isPending} onClick={() => asked.mutate(seconds)}>
              {words}
            </Button>
          ))}
        </div>
      </div>
      {asked.isError && <p className="font-semibold text-flag">{sentenceOf(asked.error)}</p>}
    </Note>
  );
}
