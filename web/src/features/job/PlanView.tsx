import { X } from "lucide-react";
import { lazy, Suspense, useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useBetween, useMarks, usePlan } from "../../api/queries";
import { counted, distance, length, METRES, UNIT_SIGN } from "../../lib/format";
import { Button, Note } from "../../ui/controls";
import { MarkPicker } from "../../ui/marks";
import { Page } from "../../ui/Page";
import type { ViewProps } from "../../ui/view";

const SitePlan = lazy(() => import("../../plots/SitePlan"));

type Mark = Schemas["MarkView"];

/** The site from above: pick a mark, and another to see what lies between them. */
export function PlanView({ job, tabs }: ViewProps) {
  const plan = usePlan(job.id);
  const [picked, setPicked] = useState<Mark | null>(null);
  const [point, setPoint] = useState<Schemas["PlanPoint"] | null>(null);
  const [from, setFrom] = useState<Mark | null>(null);
  const [sought, setSought] = useState("");
  const found = useMarks(job.id, sought);
  const unit = { metres: METRES[job.length_unit], sign: UNIT_SIGN[job.length_unit] };
  const fresh = found.data?.marks.find((mark) => mark.name === sought);
  // A pick on the plan gives a name first; the mark itself comes with the answer.
  if (sought && fresh && picked?.id !== fresh.id && !found.isPlaceholderData) {
    setPicked(fresh);
    setSought("");
  }
  const data = plan.data;
  return (
    <Page
      title="Plan"
      why={data ? `${counted(data.marks.id.length, "mark")}, ${counted(data.points.length, "point")}. ▲ control  ■ check only  × measured  ★ base` : ""}
      tabs={tabs}
    >
      <div className="grid grid-cols-1 gap-5 lg:h-[calc(100%-3.5rem)] lg:min-h-96 lg:grid-cols-[1fr_21rem]">
        {plan.isError && <Note tone="flag">{sentenceOf(plan.error)}</Note>}
        {data && data.marks.id.length === 0 && data.points.length === 0 && <Note>Nothing to draw yet: import the control list.</Note>}
        {data && (data.marks.id.length > 0 || data.points.length > 0) && (
          <Suspense fallback={<p>Drawing the plan.</p>}>
            <SitePlan
              marks={data.marks}
              points={data.points}
              base={data.base}
              convergenceDeg={data.convergence_deg}
              picked={point ?? picked}
              onPick={(kind, id) => {
                setPoint(kind === "point" ? (data.points.find((item) => item.id === id) ?? null) : null);
                if (kind === "mark") setSought(data.marks.name[data.marks.id.indexOf(id)] ?? "");
              }}
              unit={unit}
            />
          </Suspense>
        )}
        <PlanSide job={job} picked={picked} setPoint={setPoint} setPicked={setPicked} point={point} from={from} setFrom={setFrom} />
      </div>
    </Page>
  );
}

/** What is picked on the plan. */
function PlanSide(props: {
  job: Schemas["JobView"];
  picked: Schemas["MarkView"] | null;
  setPoint: (value: Schemas["PlanPoint"] | null) => void;
  setPicked: (value: Schemas["MarkView"] | null) => void;
  point: Schemas["PlanPoint"] | null;
  from: Schemas["MarkView"] | null;
  setFrom: (value: Schemas["MarkView"] | null) => void;
}) {
  const { job, picked, setPoint, setPicked, point, from, setFrom } = props;
  return (
    <div className="flex min-w-0 flex-col gap-4 overflow-auto p-1">
      <MarkPicker
        jobId={job.id}
        label="Find a mark"
        value={picked}
        onPick={(mark) => {
          setPoint(null);
          setPicked(mark);
        }}
      />
      {point ? (
        <PickedPoint job={job} point={point} onClose={() => setPoint(null)} />
      ) : picked ? (
        <Picked job={job} mark={picked} from={from} onFrom={setFrom} onClose={() => setPicked(null)} />
      ) : (
        <p className="text-faded">Press a mark on the plan, or find it by name.</p>
      )}
    </div>
  );
}

function Picked(props: { job: Schemas["JobView"]; mark: Mark; from: Mark | null; onFrom: (mark: Mark | null) => void; onClose: () => void }) {
  const { job, mark, from } = props;
  const unit = job.length_unit;
  const between = useBetween(job.id, from?.id ?? null, mark.id);
  return (
    <section className="rounded border-2 border-ink bg-page p-4" data-testid="picked">
      <div className="flex items-start justify-between">
        <h2 className="text-3xl font-bold">{mark.name}</h2>
        <button type="button" aria-label="Deselect the mark" className="flex size-12 items-center justify-center" onClick={props.onClose}>
          <X aria-hidden />
        </button>
      </div>
      <p className="mb-2 text-faded">
        {mark.check_only ? "check only" : "control"}
        {mark.note && `, ${mark.note}`}
      </p>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 text-right">
        <Line word="East" value={length(mark.east_m, unit)} sign={UNIT_SIGN[unit]} />
        <Line word="North" value={length(mark.north_m, unit)} sign={UNIT_SIGN[unit]} />
        <Line word="Ellipsoidal" value={length(mark.ellipsoidal_height_m, unit)} sign={UNIT_SIGN[unit]} />
        <Line word="Elevation" value={length(mark.elevation_m, unit)} sign={UNIT_SIGN[unit]} />
      </dl>
      {between.data && from && from.id !== mark.id && <Between between={between.data} unit={unit} />}
      <Button className="mt-3 w-full" onClick={() => props.onFrom(from?.id === mark.id ? null : mark)}>
        {from?.id === mark.id ? "No longer measure from it" : "Measure from here"}
      </Button>
    </section>
  );
}

/** A point that was measured: where it came out, derived now. */
function PickedPoint({ job, point, onClose }: { job: Schemas["JobView"]; point: Schemas["PlanPoint"]; onClose: () => void }) {
  return (
    <section className="rounded border-2 border-ink bg-page p-4" data-testid="picked">
      <div className="flex items-start justify-between">
        <h2 className="text-3xl font-bold">{point.name}</h2>
        <button type="button" aria-label="Deselect the point" className="flex size-12 items-center justify-center" onClick={onClose}>
          <X aria-hidden />
        </button>
      </div>
      <p className="mb-2 text-faded">measured{point.from_base ? " from the running base" : " from an earlier set-up"}</p>
      <dl className="grid grid-cols-[auto_1fr] gap-x-4 text-right">
        <Line word="East" value={length(point.east_m, job.length_unit)} sign={UNIT_SIGN[job.length_unit]} />
        <Line word="North" value={length(point.north_m, job.length_unit)} sign={UNIT_SIGN[job.length_unit]} />
        <Line word="Ellipsoidal" value={length(point.height_m, job.length_unit)} sign={UNIT_SIGN[job.length_unit]} />
      </dl>
    </section>
  );
}

function Between({ between, unit }: { between: Schemas["Between"]; unit: Schemas["JobView"]["length_unit"] }) {
  const away = distance(between.distance_m, unit);
  return (
    <div className="mt-3 border-t-2 border-line pt-2" data-testid="between">
      <p className="text-faded">from {between.from_name}</p>
      <p className="text-3xl font-bold">
        {length(between.distance_m, unit)} <span className="text-lg font-semibold">{away.sign === "km" ? "m" : away.sign}</span>
      </p>
      {between.ground_distance_m !== null && (
        <p>
          {length(between.ground_distance_m, unit)} {UNIT_SIGN[unit]} on the ground
        </p>
      )}
      <p>
        grid bearing {between.bearing_deg.toFixed(4)}°
        {between.rise_m !== null && `, ${length(between.rise_m, unit)} ${UNIT_SIGN[unit]} ${between.rise_m < 0 ? "(down)" : "up"}`}
      </p>
    </div>
  );
}

function Line({ word, value, sign }: { word: string; value: string; sign: string }) {
  return (
    <>
      <dt className="text-left text-faded">{word}</dt>
      <dd className="text-xl font-semibold">
        {value} {value !== "–" && <span className="text-base">{sign}</span>}
      </dd>
    </>
  );
}
