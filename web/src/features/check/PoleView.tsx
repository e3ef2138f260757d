import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useBeginTurn, useDropTurn, useRecordSide, useTurns } from "../../api/check";
import { useLive } from "../../api/live";
import { clock, day, length, UNIT_SIGN } from "../../lib/format";
import { Button, Note, Select, TextField } from "../../ui/controls";
import { FindingLines } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { PoleFields, usePole } from "../../ui/pole";
import { Drop, Record, ShotProgress } from "../../ui/shot";
import { StateMark } from "../../ui/StateMark";
import { PoleTop } from "../../plots/PoleTop";
import type { ViewProps } from "../../ui/view";

/** Which pole is turned and how often, and what begins it and records a side. */
function usePoleForm(jobId: string) {
  const turns = useTurns(jobId);
  const begin = useBeginTurn(jobId);
  const record = useRecordSide(jobId);
  const [typed, setTyped] = useState<string | null>(null);
  const [sides, setSides] = useState("2");
  const [seconds, setSeconds] = useState("30");
  const [pole, setPole] = usePole();
  const rover_id = useLive(({ live }) => live?.rover_id ?? null);
  const view = turns.data;
  const now = view?.now ?? null;
  const name = typed ?? view?.poles[0] ?? "";
  const problem = [record.error, begin.error].find((error) => error instanceof Problem) as Problem | undefined;
  const send = (again = false) =>
    now && record.mutate({ series_id: now.series_id, reading: pole.reading, feature: pole.feature, seconds: Number(seconds) || 0, again, rover_id });
  return { turns, begin, record, view, now, name, setTyped, sides, setSides, seconds, setSeconds, pole, setPole, problem, send };
}

/** The pole turned: what goes round with it is its lean. */
export function PoleView({ job, tabs }: ViewProps) {
  const form = usePoleForm(job.id);
  const { turns, begin, record, view, now, name, problem } = form;
  const shot = useLive(({ live }) => live?.shot ?? null);
  return (
    <Page
      title="Pole"
      why="A bubble out of true gives a constant lean that no average removes. Turn it on any firm point."
      tabs={tabs}
      aside={
        shot ? (
          <ShotProgress shot={shot} />
        ) : problem ? (
          <p className="font-semibold text-flag">{problem.sentence}</p>
        ) : now ? (
          <p className="text-2xl font-bold">{now.next_words}</p>
        ) : (
          <p className="text-faded">Keep the foot where it is; only turn the pole, and centre the bubble each time.</p>
        )
      }
      action={
        shot ? (
          <Drop jobId={job.id} shot={shot} />
        ) : now ? (
          <Record disabled={record.isPending} onRecord={() => form.send()} />
        ) : (
          <Button kind="primary" large disabled={!name.trim() || begin.isPending} onClick={() => begin.mutate({ pole: name, sides: Number(form.sides) })}>
            Turn this pole
          </Button>
        )
      }
    >
      {turns.isError && <Note tone="flag">{sentenceOf(turns.error)}</Note>}
      <div className="grid grid-cols-1 lg:grid-cols-[20rem_minmax(0,1fr)] gap-6">
        <PoleTurnFields job={job} form={form} />
        <div className="flex min-w-0 flex-col gap-3">
          {view?.turned.map((turned) => <Turned key={turned.series_id} job={job} turned={turned} />)}
          {view && view.turned.length === 0 && <Note>No pole of this job has been turned. What a turn shows is kept with the pole in Kit.</Note>}
        </div>
      </div>
    </Page>
  );
}

/** Which pole, how often it is turned, and how long each shot lasts. */
function PoleTurnFields({ job, form }: { job: Schemas["JobView"]; form: ReturnType<typeof usePoleForm> }) {
  const { now, name, view, problem } = form;
  return (
    <div className="flex flex-col gap-3">
      {now ? (
        <InHand job={job} now={now} onAgain={() => form.send(true)} />
      ) : (
        <>
          <TextField label="Which pole" name="pole" value={name} onChange={form.setTyped} hint={view?.never_turned.includes(name) ? "Never turned yet." : undefined} />
          <Select
            label="Turned to"
            value={form.sides}
            onChange={form.setSides}
            options={[
              { value: "2", label: "two sides", detail: "half their difference" },
              { value: "4", label: "four sides", detail: "and a check of the foot" },
            ]}
          />
        </>
      )}
      <PoleFields jobId={job.id} pole={form.pole} onPole={form.setPole} problem={problem ?? null} />
      <TextField label="Seconds" name="seconds" value={form.seconds} onChange={form.setSeconds} problem={problem?.field === "seconds" ? problem.sentence : null} />
    </div>
  );
}

function InHand({ job, now, onAgain }: { job: Schemas["JobView"]; now: Schemas["TurnNow"]; onAgain: () => void }) {
  const drop = useDropTurn(job.id);
  return (
    <section className="rounded border-2 border-ink bg-page p-3" aria-label="Pole in hand">
      <h2 className="text-xl font-bold">{now.pole}</h2>
      <ul>
        {now.sides.map((side) => (
          <li key={side.turned_deg} className={`flex items-center gap-2 py-1 ${side.turned_deg === now.next_deg ? "font-bold" : ""}`}>
            <StateMark state={side.taken ? "checked" : "missing"} size={18} /> {side.words}
          </li>
        ))}
      </ul>
      <div className="mt-2 flex gap-3">
        <Button disabled={!now.sides.some((side) => side.taken)} onClick={onAgain}>
          Last side again
        </Button>
        <Button disabled={drop.isPending} onClick={() => drop.mutate(now.series_id)}>
          Abandon it
        </Button>
      </div>
    </section>
  );
}

function Turned({ job, turned }: { job: Schemas["JobView"]; turned: Schemas["PoleTurned"] }) {
  const drop = useDropTurn(job.id);
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const bad = turned.leans;
  return (
    <article className={`rounded border-2 bg-page px-4 py-3 ${bad ? "border-flag" : "border-line"}`} aria-label={`Lean of ${turned.pole}`}>
      <div className="grid grid-cols-[9rem_minmax(0,1fr)] items-center gap-4">
        <PoleTop leanM={turned.lean.lean_m} sideDeg={turned.lean.side_deg} limitM={turned.lean.limit_m} bad={bad} />
        <div className="min-w-0">
          <p className="text-5xl font-bold whitespace-nowrap" data-testid="lean">
            {length(turned.lean.lean_m, unit)} <span className="text-xl font-normal">{sign} at {length(turned.height_m, unit)} {sign}</span>
          </p>
          <p className="text-lg">
            {turned.words}
          </p>
          <p className="flex items-center justify-between gap-3 text-base text-faded">
            {turned.sides} sides, {day(turned.at_s, job.time_zone)} {clock(turned.at_s, job.time_zone).slice(0, 5)}
            <Button disabled={drop.isPending} onClick={() => drop.mutate(turned.series_id)}>
              take out
            </Button>
          </p>
        </div>
      </div>
      <FindingLines findings={[turned.finding]} />
    </article>
  );
}
