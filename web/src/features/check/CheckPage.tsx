import { useState } from "react";
import { useSearchParams } from "react-router";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { usePlanOfChecks } from "../../api/check";
import { useLive } from "../../api/live";
import { useChecks, useRecordCheck } from "../../api/queries";
import { Note, ShowMore } from "../../ui/controls";
import { FindingLines } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { useCurrentMark, useMarkNamed } from "../../ui/marks";
import { usePole } from "../../ui/pole";
import { RoverHeight } from "../../ui/roverheight";
import { Drop, Hold, Record, ShotProgress } from "../../ui/shot";
import { Tabs, useView } from "../../ui/Tabs";
import { Cards } from "./Cards";
import { FieldTestView } from "./FieldTestView";
import { MeasuresView } from "./MeasuresView";
import { PlanOfChecks } from "./PlanOfChecks";
import { PoleView } from "./PoleView";
import { ReseatView } from "./ReseatView";
import { ShotForm, USUAL_SHOT } from "./ShotForm";
import { Difference, Verdict } from "./Verdict";
import type { ViewProps } from "../../ui/view";

const VIEWS = [
  { view: "shot", label: "Check a mark" },
  { view: "plan", label: "Plan" },
  { view: "reseat", label: "Re-seat" },
  { view: "ground", label: "Tape and level" },
  { view: "pole", label: "Pole" },
  { view: "fieldtest", label: "Field test" },
] as const;

/** Check: is it right, before any work starts, and still at the end. */
export function CheckPage({ job }: { job: Schemas["JobView"] }) {
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  const tabs = <Tabs views={VIEWS} value={view} onChange={setView} />;
  if (view === "plan") return <PlanOfChecks job={job} tabs={tabs} />;
  if (view === "reseat") return <ReseatView job={job} tabs={tabs} />;
  if (view === "ground") return <MeasuresView job={job} tabs={tabs} />;
  if (view === "pole") return <PoleView job={job} tabs={tabs} />;
  if (view === "fieldtest") return <FieldTestView job={job} tabs={tabs} />;
  return <ShotView job={job} tabs={tabs} />;
}

/** An averaged shot on a known mark, and what its difference says. */
function ShotView({ job, tabs }: ViewProps) {
  const checks = useChecks(job.id);
  const record = useRecordCheck(job.id);
  const [picked, setPicked] = useState<Schemas["MarkView"] | null>(null);
  const [wish, setRequest] = useState(USUAL_SHOT);
  const [pole, setPole] = usePole();
  const [shownId, setShownId] = useState<string | null>(null);
  const shot = useLive(({ live }) => live?.shot ?? null);
  const rover_id = useLive(({ live }) => live?.rover_id ?? null);

  // Who went to a mark checks it: its name comes along.
  const [params] = useSearchParams();
  const named = useMarkNamed(job.id, picked ? "" : (params.get("mark") ?? ""));
  const mark = useCurrentMark(job.id, picked ?? named);
  const problem = problemOf(record.error);
  const all = checks.data?.pages.flatMap((page) => page.checks) ?? [];
  const sign = checks.data?.pages[0]?.sign;
  // What all checks of the base say together explains more than one of them can.
  const together = usePlanOfChecks(job.id).data?.causes ?? [];
  const shown = all.find((check) => check.id === shownId) ?? all.find((check) => check.of_this_base) ?? null;

  const send = () => {
    setShownId(null);
    record.mutate({ ...wish, ...pole, rover_id, mark_id: mark?.id ?? "", seconds: Number(wish.seconds) || 0 });
  };

  return (
    <Page
      title="Check"
      tabs={tabs}
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
      action={shot ? <Drop jobId={job.id} shot={shot} /> : <Record disabled={!mark || record.isPending} onRecord={send} />}
    >
      <div className="flex flex-col gap-4 lg:grid lg:grid-cols-[21.5rem_minmax(0,1fr)] lg:gap-6">
        <ShotForm job={job} mark={mark} onMark={setPicked} wish={wish} onRequest={setRequest} pole={pole} onPole={setPole} problem={problem} />
        <ShotSide shown={shown} together={together} job={job} all={all} setShownId={setShownId} checks={checks} />
      </div>
    </Page>
  );
}

/** What the shot is of, and where the stand-in stands. */
function ShotSide(props: {
  shown: Schemas["Check"] | null;
  together: Schemas["Finding"][];
  job: Schemas["JobView"];
  all: Schemas["Check"][];
  setShownId: (value: string | null) => void;
  checks: ReturnType<typeof useChecks>;
}) {
  const { shown, together, job, all, setShownId, checks } = props;
  return (
    <div className="flex min-w-0 flex-col gap-3 hand:order-2">
      <div className="flex flex-col gap-3 hand:order-2">
        {shown && <Verdict check={shown} />}
        {shown && shown.of_this_base && !shown.agrees && <FindingLines findings={together} />}
      </div>
      {shown ? (
        <Difference job={job} check={shown} all={all} />
      ) : (
        <Note>No check {all.length > 0 ? "from this base " : ""}yet. Near the base first, then at the far end of the job.</Note>
      )}
      <div className="flex flex-col gap-3 hand:order-3">
        {shown && <FindingLines findings={shown.findings.slice(1)} />}
        {shown && <RoverHeight key={shown.id} job={job} shotId={shown.id} />}
        <Cards job={job} checks={all} shownId={shown?.id ?? null} onShow={setShownId} />
        {checks.hasNextPage && (
          <ShowMore busy={checks.isFetchingNextPage} onMore={() => void checks.fetchNextPage()}>
            Earlier checks:
          </ShowMore>
        )}
      </div>
    </div>
  );
}
