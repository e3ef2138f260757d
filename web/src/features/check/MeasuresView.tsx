import { Ruler } from "lucide-react";
import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useAddMeasure, useDropMeasure, useMeasures } from "../../api/check";
import { clock, day, decimal, length, signed, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, Note, Select, TextField } from "../../ui/controls";
import { FindingLines } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { StateMark } from "../../ui/StateMark";
import type { ViewProps } from "../../ui/view";

const EMPTY: Schemas["MeasureRequest"] = { kind: "slope", from_name: "", to_name: "", measured: "", sigma: "", from_above: "", to_above: "" };
const KINDS = [
  { value: "slope", label: "Slope distance", detail: "taped or by EDM" },
  { value: "horizontal", label: "Horizontal distance", detail: "on the ground" },
  { value: "levelled", label: "Height difference", detail: "levelled, second above first" },
];

/** Tape and level: the only checks that are free of GNSS; and points that two base set-ups have. */
export function MeasuresView({ job, tabs }: ViewProps) {
  const view = useMeasures(job.id);
  const add = useAddMeasure(job.id);
  const [wish, setRequest] = useState(EMPTY);
  const set = (more: Partial<typeof EMPTY>) => setRequest({ ...wish, ...more });
  const problem = problemOf(add.error);
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  const names = (view.data?.names ?? []).map((name) => ({ value: name, label: name }));
  return (
    <Page
      title="Tape and level"
      why="A tape and a level do not depend on satellites. Distances are compared on the ground, not in the grid."
      tabs={tabs}
      aside={
        problem && !["measured", "sigma", "from_above", "to_above"].includes(problem.field ?? "") ? (
          <p className="font-semibold text-flag">{problem.sentence}</p>
        ) : (
          <p className="text-faded">{names.length < 2 ? "Record two shots first: checks or points." : "Pick two shots, then type what the tape or the level says."}</p>
        )
      }
      action={
        <Button
          kind="primary"
          large
          disabled={!wish.from_name || !wish.to_name || !wish.measured.trim() || add.isPending}
          onClick={() => add.mutate(wish, { onSuccess: () => set({ measured: "" }) })}
        >
          <Ruler aria-hidden /> Compare
        </Button>
      }
    >
      <div className="grid grid-cols-1 lg:grid-cols-[20rem_minmax(0,1fr)] gap-6">
        <MeasureFields wish={wish} set={set} names={names} at={at} view={view} />
        <div className="flex min-w-0 flex-col gap-3">
          {view.isError && <Note tone="flag">{sentenceOf(view.error)}</Note>}
          {view.data && view.data.measures.length === 0 && <Note>Nothing measured without GNSS yet. One distance and one height difference are worth more than ten fixes.</Note>}
          {view.data?.measures.map((measure) => (
            <Measure key={measure.id} job={job} measure={measure} />
          ))}
          {view.data && view.data.doubles.length > 0 && (
            <>
              <h2 className="text-xl font-bold">Points that two base set-ups have</h2>
              {view.data.doubles.map((double) => (
                <RepeatedPoint key={double.name} job={job} double={double} />
              ))}
            </>
          )}
        </div>
      </div>
    </Page>
  );
}

/** Two points, and what the tape or the level says. */
function MeasureFields(props: {
  wish: Schemas["MeasureRequest"];
  set: (more: Partial<{ from_above?: string; from_name: string; kind: "slope" | "horizontal" | "levelled"; measured: string; sigma?: string; to_above?: string; to_name: string; }>) => void;
  names: ({ value: string; label: string })[];
  at: (field: string) => string | null;
  view: ReturnType<typeof useMeasures>;
}) {
  const { wish, set, names, at, view } = props;
  return (
    <div className="flex flex-col gap-3">
      <Select label="Measured" value={wish.kind} options={KINDS} onChange={(kind) => set({ kind: kind as Schemas["MeasureRequest"]["kind"] })} />
      <div className="grid grid-cols-1 sm:grid-cols-2 gap-3">
        <Select label="From" value={wish.from_name} options={names} onChange={(from_name) => set({ from_name })} />
        <Select label="To" value={wish.to_name} options={names} onChange={(to_name) => set({ to_name })} />
      </div>
      <TextField label="It says" name="measured" large value={wish.measured} onChange={(measured) => set({ measured })} placeholder={wish.kind === "levelled" ? "−1.234 m" : "34.512 m"} problem={at("measured")} />
      {wish.kind === "slope" && (
        <div className="grid grid-cols-1 sm:grid-cols-2 gap-3">
          <TextField label="Above the first" name="from_above" value={wish.from_above ?? ""} onChange={(from_above) => set({ from_above })} placeholder="0" problem={at("from_above")} />
          <TextField label="Above the second" name="to_above" value={wish.to_above ?? ""} onChange={(to_above) => set({ to_above })} placeholder="0" problem={at("to_above")} />
        </div>
      )}
      <TextField
        label="Good to (one sigma)"
        name="sigma"
        value={wish.sigma ?? ""}
        onChange={(sigma) => set({ sigma })}
        placeholder={view.data?.usual_sigmas[wish.kind] ?? ""}
        problem={at("sigma")}
      />
    </div>
  );
}

function Measure({ job, measure }: { job: Schemas["JobView"]; measure: Schemas["MeasureView"] }) {
  const drop = useDropMeasure(job.id);
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  return (
    <article className={`rounded border-2 bg-page px-4 py-2 ${measure.agrees ? "border-line" : "border-flag"}`} aria-label={`Measure ${measure.from_name} to ${measure.to_name}`}>
      <div className="flex items-center gap-4">
        <StateMark state={measure.agrees ? "checked" : "disagrees"} size={28} />
        <p className="text-3xl font-bold whitespace-nowrap">
          {signed(measure.difference_m, unit)} <span className="text-lg font-normal">{sign}</span>
        </p>
        <p className="min-w-0 flex-1 leading-5">
          {measure.from_name} to {measure.to_name}: {length(measure.observed_m, unit)} by the shots, {measure.text} {measure.kind}.
          <br />
          <span className="text-base text-faded">
            chance gives {length(measure.limit_95_m, unit)} {sign} at 95 %
            {measure.kind !== "levelled" && `; the grid says ${length(measure.grid_m, unit)} (${decimal(measure.grid_ppm, 0)} ppm)`}
          </span>
        </p>
        <Button disabled={drop.isPending} onClick={() => drop.mutate(measure.id)}>
          take out
        </Button>
      </div>
      <div className="mt-1">
        <FindingLines findings={measure.findings} />
      </div>
    </article>
  );
}

function RepeatedPoint({ job, double }: { job: Schemas["JobView"]; double: Schemas["RepeatedPoint"] }) {
  const unit = job.length_unit;
  return (
    <article className={`rounded border-2 bg-page px-4 py-2 ${double.agrees ? "border-line" : "border-flag"}`} aria-label={`${double.name} from two set-ups`}>
      <CardTable className="w-full text-right text-base">
        <thead>
          <tr className="text-faded">
            <th className="text-left text-xl font-bold text-ink">{double.name}</th>
            <th className="font-semibold">shots</th>
            <th className="font-semibold">east</th>
            <th className="font-semibold">north</th>
            <th className="font-semibold">height</th>
            <th className="font-semibold">from the mean: E, N, up ({UNIT_SIGN[unit]})</th>
          </tr>
        </thead>
        <tbody>
          {double.set_ups.map((item) => (
            <tr key={item.started_s} className="border-t border-line">
              <td className="py-1 text-left">
                base on {item.base}, {day(item.started_s, job.time_zone)} {clock(item.started_s, job.time_zone).slice(0, 5)}
              </td>
              <td>{item.shots}</td>
              <td>{length(item.east_m, unit)}</td>
              <td>{length(item.north_m, unit)}</td>
              <td>{length(item.height_m, unit)}</td>
              <td className="font-semibold">
                {signed(item.off_east_m, unit)}, {signed(item.off_north_m, unit)}, {signed(item.off_up_m, unit)}
              </td>
            </tr>
          ))}
          <tr className="border-t-2 border-line font-bold">
            <td className="py-1 text-left">mean</td>
            <td />
            <td>{length(double.east_m, unit)}</td>
            <td>{length(double.north_m, unit)}</td>
            <td>{length(double.height_m, unit)}</td>
            <td />
          </tr>
        </tbody>
      </CardTable>
      <FindingLines findings={[double.finding]} />
    </article>
  );
}
