import { Circle, X } from "lucide-react";
import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useLive } from "../../api/live";
import { useChecks, useRecordCheck, useWatch } from "../../api/queries";
import { useDropShot } from "../../api/watch";
import { Button, Note, Progress, ShowMore } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { useCurrentMark } from "../../ui/marks";
import { Cards } from "./Cards";
import { ShotForm, USUAL_SHOT } from "./ShotForm";
import { Difference, Verdict } from "./Verdict";

/** Check: an averaged shot on a known mark, and what its difference says. */
export function CheckPage({ job }: { job: Schemas["JobView"] }) {
  const checks = useChecks(job.id);
  const record = useRecordCheck(job.id);
  const [picked, setPicked] = useState<Schemas["MarkView"] | null>(null);
  const [wish, setWish] = useState(USUAL_SHOT);
  const [shownId, setShownId] = useState<string | null>(null);
  const shot = useLive(({ live }) => live?.shot ?? null);
  const rover_id = useLive(({ live }) => live?.rover_id ?? null);

  const mark = useCurrentMark(job.id, picked);
  const problem = record.error instanceof Problem ? record.error : null;
  const all = checks.data?.pages.flatMap((page) => page.checks) ?? [];
  const sign = checks.data?.pages[0]?.sign;
  const shown = all.find((check) => check.id === shownId) ?? all[0] ?? null;

  const send = () => {
    setShownId(null);
    record.mutate({ ...wish, rover_id, mark_id: mark?.id ?? "", seconds: Number(wish.seconds) || 0 });
  };

  return (
    <Page
      title="Check"
      why={`Stand on a mark you know: does the rover agree?${sign ? ` Differences are ${sign}.` : ""}`}
      aside={
        shot ? (
          <ShotProgress shot={shot} />
        ) : record.isError && !problem?.field ? (
          <p className="font-semibold text-flag">{sentenceOf(record.error)}</p>
        ) : (
          <Hold jobId={job.id} marked={mark !== null} fixedOnly={wish.fixed_only} />
        )
      }
      action={shot ? <CancelShot jobId={job.id} /> : <Record disabled={!mark || record.isPending} onRecord={send} />}
    >
      <div className="grid grid-cols-[20rem_1fr] gap-6">
        <ShotForm job={job} mark={mark} onMark={setPicked} wish={wish} onWish={setWish} problem={problem} />
        <div className="flex min-w-0 flex-col gap-3">
          {shown && <Verdict check={shown} />}
          {shown ? (
            <Difference job={job} check={shown} all={all} />
          ) : (
            <Note>No check yet. Near the base first, then at the far end of the job.</Note>
          )}
          <Cards job={job} checks={all} shownId={shown?.id ?? null} onShow={setShownId} />
          {checks.hasNextPage && (
            <ShowMore busy={checks.isFetchingNextPage} onMore={() => void checks.fetchNextPage()}>
              Earlier checks:
            </ShowMore>
          )}
        </div>
      </div>
    </Page>
  );
}

/** What holds the recording back, as the server says it. */
function Hold({ jobId, marked, fixedOnly }: { jobId: string; marked: boolean; fixedOnly: boolean }) {
  const watch = useWatch(jobId);
  const holds = useLive(({ live }) => live?.holds) ?? watch.data?.holds;
  return <p className="text-faded">{!marked ? holds?.without_mark : fixedOnly ? holds?.fixed_only : holds?.any_epoch}</p>;
}

function Record({ disabled, onRecord }: { disabled: boolean; onRecord: () => void }) {
  const listening = useLive(({ live }) => live !== null);
  return (
    <Button kind="primary" large data-record disabled={disabled || !listening} onClick={onRecord}>
      <Circle aria-hidden fill="currentColor" /> Record <span className="text-base font-normal">(r)</span>
    </Button>
  );
}

function CancelShot({ jobId }: { jobId: string }) {
  const cancel = useDropShot(jobId);
  const rover = useLive(({ live }) => live?.rover_id ?? "");
  return (
    <Button kind="danger" large data-drop onClick={() => cancel.mutate(rover)}>
      <X aria-hidden /> Cancel the shot
    </Button>
  );
}

function ShotProgress({ shot }: { shot: Schemas["ShotNow"] }) {
  return (
    <div aria-live="polite">
      <Progress label="Shot" value={shot.collected_s} most={shot.wanted_s} />
      <p className="font-semibold">
        {shot.waiting_for ? `Waiting for ${shot.waiting_for}.` : `${shot.collected_s.toFixed(0)} of ${shot.wanted_s.toFixed(0)} s, ${shot.epochs} epochs. Keep the pole plumb.`}
      </p>
      {shot.unreported && <p className="font-semibold">{shot.unreported}</p>}
    </div>
  );
}
