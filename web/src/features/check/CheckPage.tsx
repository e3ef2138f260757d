import { Circle, X } from "lucide-react";
import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useCancelCheck, useChecks, useHeights, useRecordCheck } from "../../api/queries";
import { clock, length, signed, UNIT_SIGN } from "../../lib/format";
import { Target } from "../../plots/Target";
import { Button, Note, Progress, Select, TextField, Toggle } from "../../ui/controls";
import { FindingNote } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { MarkPicker, useCurrentMark } from "../../ui/marks";
import { PracticeStand } from "../../ui/practice";
import { StateMark } from "../../ui/StateMark";

type Job = Schemas["Job"];

/** Check: an averaged shot on a known mark, and what its difference says. */
export function CheckPage({ job, live }: { job: Job; live: Schemas["Live"] | null; average: Schemas["Average"] | null }) {
  const kit = useHeights(job.id);
  const checks = useChecks(job.id);
  const record = useRecordCheck(job.id);
  const cancel = useCancelCheck(job.id);
  const [picked, setPicked] = useState<Schemas["Mark"] | null>(null);
  const [seconds, setSeconds] = useState("30");
  const [height, setHeight] = useState({ reading: "2.000 m", feature: "rod" });
  const [fixedOnly, setFixedOnly] = useState(true);
  const [tolerance, setTolerance] = useState<"control" | "topography">("control");
  const [shownId, setShownId] = useState<string | null>(null);

  const mark = useCurrentMark(job.id, picked);
  const shot = live?.shot ?? null;
  const refused = record.error instanceof Problem ? record.error : null;
  const shown = checks.data?.find((check) => check.id === shownId) ?? checks.data?.[0] ?? null;
  const hold = holdOf(live, mark, fixedOnly);

  const send = () => {
    setShownId(null);
    record.mutate({
      mark_id: mark?.id ?? "",
      seconds: Number(seconds) || 0,
      ...height,
      fixed_only: fixedOnly,
      tolerance,
    });
  };

  return (
    <Page
      title="Check"
      why="Stand on a mark you know: does the rover agree? Differences are observed − known."
      aside={
        shot ? (
          <ShotProgress shot={shot} />
        ) : record.isError && !refused?.field ? (
          <p className="font-semibold text-flag">{sentenceOf(record.error)}</p>
        ) : (
          <p className="text-faded">{hold || "Plumb the pole, hold still, then record."}</p>
        )
      }
      action={
        shot ? (
          <Button kind="danger" large onClick={() => cancel.mutate(undefined)}>
            <X aria-hidden /> Cancel the shot
          </Button>
        ) : (
          <Button kind="primary" large data-record disabled={!mark || !live || record.isPending} onClick={send}>
            <Circle aria-hidden fill="currentColor" /> Record <span className="text-base font-normal">(r)</span>
          </Button>
        )
      }
    >
      <div className="grid grid-cols-[20rem_1fr] gap-6">
        <div className="flex min-w-0 flex-col gap-4">
          <MarkPicker jobId={job.id} label="Mark under the pole" value={mark} onPick={setPicked} />
          {mark && job.practice && <PracticeStand jobId={job.id} who="rover" mark={mark} />}
          <div className="grid grid-cols-[1fr_7rem] gap-3">
            <TextField
              label="Rover height"
              name="rover_height"
              value={height.reading}
              onChange={(reading) => setHeight({ ...height, reading })}
              problem={refused?.field === "reading" ? refused.sentence : null}
            />
            <TextField
              label="Seconds"
              name="seconds"
              value={seconds}
              onChange={setSeconds}
              problem={refused?.field === "seconds" ? refused.sentence : null}
            />
          </div>
          <Select
            label="Measured on"
            value={height.feature}
            options={(kit.data?.rover_features ?? []).map((item) => ({ value: item.name, label: item.label }))}
            onChange={(feature) => setHeight({ ...height, feature })}
          />
          <Select
            label="Limits"
            value={tolerance}
            options={(kit.data?.tolerances ?? []).map((limits) => ({
              value: limits.name,
              label: limits.name,
              detail: `${length(limits.horizontal_m, job.length_unit)} and ${length(limits.vertical_m, job.length_unit)} ${UNIT_SIGN[job.length_unit]}`,
            }))}
            onChange={(name) => setTolerance(name === "topography" ? "topography" : "control")}
          />
          <Toggle
            label="Fixed only"
            value={fixedOnly}
            onChange={setFixedOnly}
            hint={fixedOnly ? "Anything else is not averaged." : "Float and single would be averaged in."}
          />
        </div>
        <div className="flex min-w-0 flex-col gap-3">
          {shown && <Verdict check={shown} />}
          {shown ? (
            <Shown job={job} check={shown} all={checks.data ?? []} />
          ) : (
            <Note>No check yet. Near the base first, then at the far end of the job.</Note>
          )}
          <Cards job={job} checks={checks.data ?? []} shownId={shown?.id ?? null} onShow={setShownId} />
        </div>
      </div>
    </Page>
  );
}

function holdOf(live: Schemas["Live"] | null, mark: Schemas["Mark"] | null, fixedOnly: boolean): string {
  if (!live) return "The rover is not listened to: start the base first.";
  if (!mark) return "Pick the mark under the pole.";
  if (fixedOnly && live.status !== "fixed") return `The rover is ${live.status}: recording waits until it is fixed.`;
  return "";
}

function ShotProgress({ shot }: { shot: Schemas["ShotInHand"] }) {
  return (
    <div aria-live="polite">
      <Progress label="Shot" value={shot.collected_s} most={shot.wanted_s} />
      <p className="font-semibold">
        {shot.waiting_for ? `Waiting for ${shot.waiting_for}.` : `${shot.collected_s.toFixed(0)} of ${shot.wanted_s.toFixed(0)} s, ${shot.epochs} epochs. Keep the pole plumb.`}
      </p>
    </div>
  );
}

function Verdict({ check }: { check: Schemas["Check"] }) {
  const first = check.findings[0];
  if (!first) return null;
  return (
    <div data-testid="verdict">
      <FindingNote finding={first} {...(check.agrees ? { tone: "checked" as const } : {})} />
      {check.stale && (
        <p className="mt-2 flex items-center gap-2 font-semibold">
          <StateMark state="out of date" /> Recomputed: something this check rests on was changed after it. Measure the mark again.
        </p>
      )}
    </div>
  );
}

function Shown({ job, check, all }: { job: Job; check: Schemas["Check"]; all: Schemas["Check"][] }) {
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const shotOf = (item: Schemas["Check"]) => ({ id: item.id, eastM: item.east_m, northM: item.north_m, upM: item.up_m });
  const earlier = all.filter((item) => item.mark_id === check.mark_id && item.id !== check.id).map(shotOf);
  return (
    <section className="grid grid-cols-[minmax(0,1fr)_16rem] gap-4 rounded border-2 border-line bg-page p-3" aria-label={`Check on ${check.mark_name}`}>
      <div className="h-48">
        <Target
          shot={shotOf(check)}
          earlier={earlier}
          horizontalAgrees={check.horizontal_agrees}
          verticalAgrees={check.vertical_agrees}
          toleranceM={check.tolerance_horizontal_m}
          toleranceUpM={check.tolerance_vertical_m}
          expectedEastM={check.expected_semi_axis_east_m}
          expectedNorthM={check.expected_semi_axis_north_m}
          write={(metres) => `${length(metres, unit)} ${sign}`}
        />
      </div>
      <div>
        <h2 className="text-2xl font-bold">{check.mark_name}</h2>
        <Difference name="north" value={signed(check.north_m, unit)} sign={sign} bad={!check.horizontal_agrees} />
        <Difference name="east" value={signed(check.east_m, unit)} sign={sign} bad={!check.horizontal_agrees} />
        <Difference name="up" value={check.up_m === null ? "not compared" : signed(check.up_m, unit)} sign={sign} bad={!check.vertical_agrees} />
        <p className="mt-2 text-base leading-5 text-faded">
          ring: limit {length(check.tolerance_horizontal_m, unit)}, bar: {length(check.tolerance_vertical_m, unit)} {sign}; dashes: expected at 95 %,{" "}
          {length(check.expected_horizontal_95_m, unit)} and {length(check.expected_vertical_95_m, unit)} {sign}. {check.epochs} epochs.
        </p>
      </div>
    </section>
  );
}

function Difference({ name, value, sign, bad }: { name: string; value: string; sign: string; bad: boolean }) {
  return (
    <p className={`flex items-baseline justify-between border-b border-line ${bad ? "text-flag" : ""}`}>
      <span className="text-base">{name}</span>
      <span className="text-3xl font-bold whitespace-nowrap" data-testid={`difference-${name}`}>
        {value}
        {value !== "not compared" && <span className="ml-1 text-lg">{sign}</span>}
      </span>
    </p>
  );
}

function Cards(props: { job: Job; checks: Schemas["Check"][]; shownId: string | null; onShow: (id: string) => void }) {
  const unit = props.job.length_unit;
  return (
    <ul className="grid grid-cols-2 gap-3" aria-label="All checks">
      {props.checks.map((check) => (
        <li key={check.id}>
          <button
            type="button"
            aria-pressed={check.id === props.shownId}
            onClick={() => props.onShow(check.id)}
            className={`flex w-full items-center gap-3 rounded border-2 bg-page px-3 py-2 text-left ${check.id === props.shownId ? "border-ink" : "border-line"}`}
          >
            <StateMark state={!check.agrees ? "disagrees" : check.stale ? "out of date" : "checked"} />
            <span className="min-w-0">
              <span className="block truncate font-bold">
                {check.mark_name} <span className="font-normal text-faded">{clock(check.created_s, props.job.time_zone)}</span>
              </span>
              <span className="block truncate text-base">
                H {length(check.horizontal_m, unit)}, up {signed(check.up_m, unit)} {UNIT_SIGN[unit]}
              </span>
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}
