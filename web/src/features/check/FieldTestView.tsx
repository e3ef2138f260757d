import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useBeginFieldTest, useDropFieldTest, useFieldTests, useRecordFieldTest } from "../../api/check";
import { useLive } from "../../api/live";
import { clock, signed, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, Note, Select, TextField } from "../../ui/controls";
import { FindingLines } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { PoleFields, usePole } from "../../ui/pole";
import { Drop, Record, ShotProgress } from "../../ui/shot";
import { StateMark } from "../../ui/StateMark";
import type { ViewProps } from "../../ui/view";

const EMPTY = { full: false, sigma_xy: "", sigma_h: "", distance: "", height_difference: "" };

/** What a field test rests on, the pole of its shots, and what begins it and records it. */
function useFieldTestForm(jobId: string) {
  const tests = useFieldTests(jobId);
  const begin = useBeginFieldTest(jobId);
  const record = useRecordFieldTest(jobId);
  const [request, setRequest] = useState(EMPTY);
  const [seconds, setSeconds] = useState("5");
  const [pole, setPole] = usePole();
  const rover_id = useLive(({ live }) => live?.rover_id ?? null);
  const problem = [record.error, begin.error].find((error) => error instanceof Problem) as Problem | undefined;
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  const set = (more: Partial<typeof EMPTY>) => setRequest({ ...request, ...more });
  const send = (test: Schemas["FieldTestView"], again = false) =>
    record.mutate({ series_id: test.id, reading: pole.reading, feature: pole.feature, seconds: Number(seconds) || 0, again, rover_id });
  return { tests, begin, record, request, set, seconds, setSeconds, pole, setPole, problem, at, send };
}

type Form = ReturnType<typeof useFieldTestForm>;

/** The field test of the pair: planned with its times, measured shot by shot, judged when it is whole. */
export function FieldTestView({ job, tabs }: ViewProps) {
  const form = useFieldTestForm(job.id);
  const { tests, begin, record, problem } = form;
  const shot = useLive(({ live }) => live?.shot ?? null);
  const newest = tests.data?.tests[0];
  const now = newest?.open ? newest : null;
  const known = problem?.field && [...Object.keys(EMPTY), "seconds", "reading"].includes(problem.field);
  return (
    <Page
      title="Field test"
      why="Is the pair as good as it says? Two rover points, five sets; after ISO 17123-8."
      tabs={tabs}
      aside={
        shot ? (
          <ShotProgress shot={shot} />
        ) : problem && !known ? (
          <p className="font-semibold text-flag">{problem.sentence}</p>
        ) : now ? (
          <p className="text-2xl font-bold">{now.next_words}</p>
        ) : (
          <p className="text-faded">{tests.data?.source}</p>
        )
      }
      action={
        shot ? (
          <Drop jobId={job.id} shot={shot} />
        ) : now ? (
          <Record disabled={record.isPending} onRecord={() => form.send(now)} />
        ) : (
          <Button kind="primary" large disabled={begin.isPending} onClick={() => begin.mutate(form.request)}>
            Begin the test
          </Button>
        )
      }
    >
      {tests.isError && <Note tone="flag">{sentenceOf(tests.error)}</Note>}
      <div className="grid grid-cols-1 lg:grid-cols-[20rem_minmax(0,1fr)] gap-6">
        <div className="flex flex-col gap-3">
          {now ? <RunningFields job={job} form={form} now={now} busy={shot !== null} /> : <FieldTestFields form={form} />}
        </div>
        <div className="flex min-w-0 flex-col gap-3">
          {newest ? <Test job={job} test={newest} /> : <Note>No field test in this job. Two points 2 to 20 m apart, some distance from the base, under the sky you work in.</Note>}
        </div>
      </div>
    </Page>
  );
}

/** While a test runs: the pole of its shots, and the last point again. */
function RunningFields(props: { job: Schemas["JobView"]; form: Form; now: Schemas["FieldTestView"]; busy: boolean }) {
  const { job, form, now } = props;
  return (
    <>
      <PoleFields jobId={job.id} pole={form.pole} onPole={form.setPole} problem={form.problem ?? null} />
      <TextField label="Seconds a shot" name="seconds" value={form.seconds} onChange={form.setSeconds} problem={form.at("seconds")} />
      <Button disabled={now.measured === 0 || props.busy} onClick={() => form.send(now, true)}>
        Last point again
      </Button>
      <GiveUp job={job} id={now.id} />
    </>
  );
}

/** What a test rests on before it begins. */
function FieldTestFields({ form }: { form: Form }) {
  const { request, set, at, tests } = form;
  return (
    <>
      <Select
        label="Test"
        value={request.full ? "full" : "simplified"}
        onChange={(kind) => set({ full: kind === "full" })}
        options={[
          { value: "simplified", label: "simplified", detail: "one series, 25 min: gross errors" },
          { value: "full", label: "full", detail: "three series, starts 90 min apart: uncertainties" },
        ]}
      />
      <TextField label="Sigma of a position, known before" name="sigma_xy" value={request.sigma_xy} onChange={(sigma_xy) => set({ sigma_xy })} placeholder={tests.data?.usual_xy ?? ""} problem={at("sigma_xy")} />
      <TextField label="and of a height" name="sigma_h" value={request.sigma_h} onChange={(sigma_h) => set({ sigma_h })} placeholder={tests.data?.usual_h ?? ""} problem={at("sigma_h")} />
      <TextField label="Distance, measured otherwise" name="distance" value={request.distance} onChange={(distance) => set({ distance })} placeholder="empty: none" problem={at("distance")} />
      <TextField
        label="Height of point 2 above 1"
        name="height_difference"
        value={request.height_difference}
        onChange={(height_difference) => set({ height_difference })}
        placeholder="empty: none"
        problem={at("height_difference")}
      />
    </>
  );
}

function GiveUp({ job, id }: { job: Schemas["JobView"]; id: string }) {
  const drop = useDropFieldTest(job.id);
  return (
    <Button disabled={drop.isPending} onClick={() => drop.mutate(id)}>
      Abandon the test
    </Button>
  );
}

function Test({ job, test }: { job: Schemas["JobView"]; test: Schemas["FieldTestView"] }) {
  const series = [...new Set(test.sets.map((item) => item.series))];
  return (
    <>
      <section className="rounded border-2 border-line bg-page p-3" aria-label="Plan of the field test">
        <p className="mb-1 font-bold">
          {test.measured} of {test.wanted} measured
        </p>
        {series.map((number) => (
          <div key={number} className="grid grid-cols-1 sm:grid-cols-[6rem_repeat(5,minmax(0,1fr))] items-center border-t border-line py-1">
            <span className="font-semibold">series {number}</span>
            {test.sets
              .filter((item) => item.series === number)
              .map((item) => (
                <span key={item.set} className="flex items-center gap-1" title={`Set ${item.set}`}>
                  <StateMark state={item.done ? "checked" : item.points.length ? "entered" : "missing"} size={18} />
                  {clock(item.begun_s ?? item.due_s, job.time_zone).slice(0, 5)}
                </span>
              ))}
          </div>
        ))}
      </section>
      {test.result && <Result job={job} test={test} result={test.result} />}
      <FindingLines findings={test.findings} />
      {test.result && <GiveUp job={job} id={test.id} />}
    </>
  );
}

function Result({ job, test, result }: { job: Schemas["JobView"]; test: Schemas["FieldTestView"]; result: Schemas["FieldTest"] }) {
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const passed = test.passed === true;
  return (
    <section className={`rounded border-2 bg-page p-3 ${passed ? "border-line" : "border-flag"}`} aria-label="Result of the field test">
      <p className={`flex items-center gap-3 text-3xl font-bold ${passed ? "text-checked" : "text-flag"}`}>
        <StateMark state={passed ? "checked" : "disagrees"} size={30} /> {test.verdict}
      </p>
      <p className="text-lg">
        {test.quality}
      </p>
      <CardTable className="mt-1 w-full text-left text-base">
        <tbody>
          {result.tests.map((item) => (
            <tr key={item.name} className="border-t border-line">
              <td className="flex items-center gap-2 py-1">
                <StateMark state={item.passed ? "checked" : "disagrees"} size={16} /> {item.name}
              </td>
              <td className="text-right">{item.statistic.toPrecision(3)}</td>
              <td className="text-right text-faded">limit {item.limit.toPrecision(3)}</td>
              <td className="text-right text-faded">for all together {item.corrected_limit.toPrecision(3)}</td>
            </tr>
          ))}
        </tbody>
      </CardTable>
      <p className="mt-1 text-base">{test.chance}</p>
      <p className="mt-1 text-base">
        Distances: {result.distance_deviations.map((value) => signed(value, unit)).join(", ")} {sign}. Heights:{" "}
        {result.height_deviations.map((value) => signed(value, unit)).join(", ")} {sign}.
      </p>
    </section>
  );
}
