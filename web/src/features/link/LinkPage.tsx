import { useDeferredValue, useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useLink } from "../../api/queries";
import { Note, Select, TextField } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { Tabs, useView } from "../../ui/Tabs";
import { CardView } from "./CardView";
import { CasterPanel } from "./CasterPanel";
import { PairSheet } from "./PairSheet";
import { ReachPanel } from "./ReachPanel";

const VIEWS = [
  { view: "pair", label: "Both ends" },
  { view: "air", label: "On the air" },
  { view: "caster", label: "Caster" },
  { view: "reach", label: "Reach" },
  { view: "card", label: "Setup card" },
] as const;

/** The link: both ends agree, the stream fits, it reaches, and the caster answers. */
export function LinkPage({ job }: { job: Schemas["JobView"] }) {
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  const link = useLink(job.id, AS_THE_PROFILES_SAY);
  const tabs = <Tabs views={VIEWS} value={view} onChange={setView} />;
  const data = link.data;
  if (view === "card") return <CardView job={job} pairs={data?.pairs ?? []} tabs={tabs} />;
  return (
    <Page
      title={VIEWS.find((item) => item.view === view)?.label ?? ""}
      why={WHY[view]}
      tabs={tabs}
    >
      {link.isError && <Note tone="flag">{sentenceOf(link.error)}</Note>}
      {data && !data.base && view !== "caster" && <Note>Choose a base profile and a rover profile for this job under Kit: they are compared here.</Note>}
      {view === "pair" && data && <Pairs jobId={job.id} data={data} />}
      {view === "air" && data?.base && <AirView job={job} />}
      {view === "caster" && <CasterPanel job={job} />}
      {view === "reach" && data?.base && <ReachPanel job={job} />}
    </Page>
  );
}

const AS_THE_PROFILES_SAY = { satellites: "", signals: 2, duty_limit: "" };
const WHY: Record<string, string> = {
  pair: "One setting that differs gives silence, not an error.",
  air: "What the base sends, against the rate of the link.",
  caster: "Connected and sending are two different lights.",
  reach: "By rule, without terrain: a hill or a bank in the way decides more.",
};

function Pairs({ jobId, data }: { jobId: string; data: Schemas["LinkView"] }) {
  return (
    <div className="flex flex-col gap-6">
      {data.base && data.pairs.length === 0 && <Note>{data.base} has no rover in this job. Choose a rover profile under Kit.</Note>}
      {data.other_bases.length > 0 && (
        <Note tone="flag">
          The job uses more than one base profile. Compared is {data.base}, not {data.other_bases.join(", ")}.
        </Note>
      )}
      {data.pairs.map((pair) => (
        <PairSheet key={`${pair.base_id} ${pair.rover_id}`} jobId={jobId} pair={pair} />
      ))}
    </div>
  );
}

function AirView({ job }: { job: Schemas["JobView"] }) {
  const [asked, setAsked] = useState({ satellites: "", signals: "2", duty_limit: "" });
  const [chirp, setChirp] = useState<{ spreading_factor: string; bandwidth_khz: string; coding_denominator: string } | null>(null);
  const rate = chirp && {
    spreading_factor: Number(chirp.spreading_factor),
    bandwidth_khz: Number(chirp.bandwidth_khz),
    coding_denominator: Number(chirp.coding_denominator),
  };
  const link = useLink(job.id, useDeferredValue({ ...asked, signals: Number(asked.signals) || 0, ...rate }));
  const problem = problemOf(link.error);
  return (
    <div className="flex flex-col gap-5">
      <div className="grid grid-cols-1 sm:grid-cols-3 items-start gap-5">
        <TextField
          label="Satellites to expect"
          name="satellites"
          value={asked.satellites}
          placeholder={link.data?.satellites ?? ""}
          onChange={(satellites) => setAsked({ ...asked, satellites })}
          hint={`${link.data?.satellites_words ?? ""} G is GPS, R GLONASS, E Galileo, C BeiDou.`}
          problem={problem?.field === "satellites" ? problem.sentence : null}
        />
        <TextField
          label="Signals of each"
          name="signals"
          value={asked.signals}
          onChange={(signals) => setAsked({ ...asked, signals })}
          problem={problem?.field === "signals" ? problem.sentence : null}
        />
        <TextField
          label="Duty cycle"
          name="duty_limit"
          value={asked.duty_limit}
          placeholder="no limit"
          onChange={(duty_limit) => setAsked({ ...asked, duty_limit })}
          hint="10% in some licence-free bands. Local rules decide."
          problem={problem?.field === "duty_limit" ? problem.sentence : null}
        />
      </div>
      <RateFields chirp={chirp} setChirp={setChirp} />
      <div className="hand:order-first">
        {link.data?.air ? (
          <AirBar air={link.data.air} />
        ) : (
          <Note>The base sends no observables over a radio with an air rate: there is nothing to compare with a rate.</Note>
        )}
      </div>
    </div>
  );
}

/** The rate of the link, given or reckoned for a chirp link. */
function RateFields(props: {
  chirp: { spreading_factor: string; bandwidth_khz: string; coding_denominator: string } | null;
  setChirp: (value: { spreading_factor: string; bandwidth_khz: string; coding_denominator: string } | null) => void;
}) {
  const { chirp, setChirp } = props;
  return (
    <div className="grid grid-cols-1 sm:grid-cols-4 items-end gap-5">
      <Select
        label="The link's rate is"
        value={chirp ? "chirp" : "profile"}
        options={[
          { value: "profile", label: "of the profile" },
          { value: "chirp", label: "of a chirp link", detail: "spread spectrum" },
        ]}
        onChange={(kind) => setChirp(kind === "chirp" ? { spreading_factor: "7", bandwidth_khz: "250", coding_denominator: "6" } : null)}
      />
      {chirp && (
        <>
          <Select
            label="Spreading factor"
            value={chirp.spreading_factor}
            options={["5", "6", "7", "8", "9", "10", "11", "12"].map((value) => ({ value, label: value }))}
            onChange={(spreading_factor) => setChirp({ ...chirp, spreading_factor })}
          />
          <Select
            label="Bandwidth"
            value={chirp.bandwidth_khz}
            options={["62.5", "125", "250", "500"].map((value) => ({ value, label: `${value} kHz` }))}
            onChange={(bandwidth_khz) => setChirp({ ...chirp, bandwidth_khz })}
          />
          <Select
            label="Coding rate"
            value={chirp.coding_denominator}
            options={["5", "6", "7", "8"].map((value) => ({ value, label: `4/${value}` }))}
            onChange={(coding_denominator) => setChirp({ ...chirp, coding_denominator })}
          />
        </>
      )}
    </div>
  );
}

/** The stream as a bar against the rate of the link; every satellite and signal is counted. */
function AirBar({ air }: { air: Schemas["Load"] }) {
  const percent = Math.round(100 * air.share);
  const full = Math.max(1, air.share);
  return (
    <div className="flex flex-col gap-3">
      <div className="flex flex-wrap items-end gap-x-8">
        <p className={`text-5xl leading-tight font-bold whitespace-nowrap ${air.fits ? "" : "text-flag"}`} data-testid="share">
          {percent} <span className="text-lg font-semibold">% of the rate</span>
        </p>
        <p className="min-w-64 flex-1 pb-1 text-faded">
          {air.bytes_per_epoch} bytes an epoch, {Math.round(air.bits_per_second)} of {Math.round(air.rate_bps)} bit/s, {air.latency_s.toFixed(2)} s for one
          epoch. The upper bound: every satellite with every signal.
          {air.packet_bytes !== null &&
            air.packet_time_on_air_s !== null &&
            ` A packet of ${air.packet_bytes} bytes is ${(1000 * air.packet_time_on_air_s).toFixed(0)} ms on the air.`}
        </p>
      </div>
      <div className="relative h-8 w-full rounded border-2 border-line bg-page" role="img" aria-label={`${percent} % of the link's rate`}>
        <div className={`h-full ${air.fits ? "bg-checked" : "bg-flag"}`} style={{ width: `${(100 * air.share) / full}%` }} />
        <div className="absolute inset-y-0 w-1 bg-ink" style={{ left: `calc(${100 / full}% - 4px)` }} title="the link's rate" />
      </div>
      <FindingList findings={air.findings} />
      <InTheAir air={air} />
      {air.remedies.length > 0 && (
        <ol className="flex flex-col">
          {air.remedies.map((way, at) => (
            <li key={way.words} className="flex min-h-10 items-center justify-between border-b border-line">
              <span>
                {at + 1}. {way.words}
              </span>
              <b>
                {Math.round(100 * way.share)} %{way.fits && ", fits"}
              </b>
            </li>
          ))}
        </ol>
      )}
    </div>
  );
}

/** What the load is made of, message by message. */
function InTheAir({ air }: { air: Schemas["Load"] }) {
  return (
    <section aria-label="In the air" className="rounded border-2 border-line bg-page px-4 py-2">
      <h2 className="text-xl font-bold">In the air</h2>
      <ul>
        {air.messages.map((item) => (
          <li key={item.number} className="grid min-h-touch grid-cols-[4rem_minmax(0,1fr)_4.5rem] items-center gap-x-3 border-t border-line sm:grid-cols-[4rem_minmax(0,1fr)_minmax(0,1fr)_4.5rem]">
            <b className="text-xl">{item.number}</b>
            <span className="leading-5">
              {item.words}
              <span className="block text-base text-faded">
                {item.bytes} bytes every {item.every_s} s
              </span>
            </span>
            <span className="h-4 rounded bg-paper max-sm:hidden" aria-hidden>
              <span className="block h-full rounded bg-lath" style={{ width: `${100 * item.share_of_load}%` }} />
            </span>
            <b className="text-right text-xl">{(100 * item.share_of_load).toFixed(item.share_of_load < 0.01 ? 1 : 0)} %</b>
          </li>
        ))}
      </ul>
      <p className="border-t border-line pt-1 text-base text-faded">Shares are of the load, not of the rate.</p>
    </section>
  );
}
