import { Circle, RotateCcw } from "lucide-react";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { sentenceOf, type Schemas } from "../../api/client";
import { useLive, type LiveState } from "../../api/live";
import { useInitialise, useInstrument } from "../../api/watch";
import { length, UNIT_SIGN } from "../../lib/format";
import { Ellipses } from "../../plots/Ellipses";
import { Big } from "../../ui/Big";
import { Button, Note } from "../../ui/controls";
import { FindingLines, FindingNote } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { PracticeCut } from "../../ui/practice";
import { FixHistory } from "./FixHistory";
import { Rovers } from "./Rovers";
import { Sky } from "./Sky";
import type { ViewProps } from "../../ui/view";

/** The instrument: what the rover says now beside what is seen, the sky, and how it came to say so. */
export function NowView({ job, tabs }: ViewProps) {
  const chosen = useLive(({ live }) => live?.rover_id ?? "");
  const instrument = useInstrument(job.id, chosen);
  const [, setParams] = useSearchParams();
  const shown = instrument.data?.instrument ?? null;
  const findings = shown?.findings ?? [];
  return (
    <Page
      title="Watch"
      why="What the rover claims, beside what is seen. Only a check on a mark proves it."
      tabs={tabs}
      aside={<Advice />}
      action={
        <Button kind="primary" large onClick={() => setParams({ view: "points" })}>
          <Circle aria-hidden fill="currentColor" /> Record a point
        </Button>
      }
    >
      <div className="flex flex-col">
        {instrument.isError && <Note tone="flag">{sentenceOf(instrument.error)}</Note>}
        {shown && <Decides job={job} decides={shown.claim.decides} />}
        {instrument.data && <Rovers job={job} view={instrument.data} />}
        {shown && (
          <div className="flex flex-col gap-3">
            <Cards job={job} shown={shown} />
            {findings[0] && (findings[0].is_stop ? <FindingNote finding={findings[0]} /> : <FindingLines findings={findings.slice(0, 1)} />)}
            {findings.length > 1 && <FindingLines findings={findings.slice(1)} />}
            <FixHistory job={job} roverId={shown.rover_id} />
            <Sky jobId={job.id} shown={shown} />
            <Initialise job={job} shown={shown} />
            <PracticeCut jobId={job.id} />
            <Messages link={shown.link} />
          </div>
        )}
      </div>
    </Page>
  );
}

function Advice() {
  return <p className="text-faded">{useLive(({ live }) => live?.advice ?? "")}</p>;
}

/** On a phone, first of all: how good a point is now, and by what. */
function Decides({ job, decides }: { job: Schemas["JobView"]; decides: Schemas["Decides"] }) {
  const sign = UNIT_SIGN[job.length_unit];
  return (
    <section aria-label="95 % now" className={`mb-3 hidden rounded border-2 bg-page px-4 py-2 hand:block ${decides.seen ? "border-flag" : "border-line"}`}>
      <Big label="H 95 %" value={length(decides.horizontal_95_m, job.length_unit)} sign={sign} bad={decides.seen} />
      <Big label="V 95 %" value={length(decides.vertical_95_m, job.length_unit)} sign={sign} bad={decides.seen} />
      <p className="text-base text-faded">{decides.words}</p>
    </section>
  );
}

/** Four numbers with what stands behind each. */
function Cards({ job, shown }: { job: Schemas["JobView"]; shown: Schemas["Instrument"] }) {
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  const { age, link, fix, claim, meant } = shown;
  const bad = claim.too_small.length > 0;
  return (
    <div className="grid grid-cols-2 gap-3 lg:grid-cols-[1fr_1fr_1.7fr_1.2fr]">
      <Card
        title="Age of corrections"
        value={age.age_s === null ? "–" : age.age_s.toFixed(1)}
        sign="s"
        flag={age.fix_goes_in_s !== null}
        lines={[age.words, link.share === null ? "" : `at this listener ${(100 * link.share).toFixed(0)} % of the frames`]}
      />
      <Card
        title="Fix"
        value={fix.held_words}
        lines={[fix.words, fix.fix_ratio === null ? "" : `fixed ${(100 * fix.fix_ratio).toFixed(0)} % of the time heard`]}
      />
      <section className={`rounded border-2 bg-page px-4 py-2 small:col-span-2 ${bad ? "border-flag" : "border-line"}`} aria-label="Claim beside evidence">
        <div className="flex items-center gap-3">
        <Ellipses claimed={claim.claim?.ellipse ?? null} seen={claim.seen?.ellipse ?? null} bad={bad} words={`95 % ellipses: claimed ${length(claim.claim?.horizontal_95_m, unit)}, seen ${length(claim.seen?.horizontal_95_m, unit)} ${sign} horizontally`} />
        <table className="w-full">
          <thead>
            <tr className="text-left text-faded">
              <th className="font-normal">95 %, {sign}</th>
              <th className="text-right font-normal">horizontal</th>
              <th className="text-right font-normal">height</th>
            </tr>
          </thead>
          <tbody className="text-2xl leading-8 font-bold">
            <tr>
              <th className="text-left text-lg font-normal">claimed</th>
              <td className="text-right">{length(claim.claim?.horizontal_95_m, unit)}</td>
              <td className="text-right">{length(claim.claim?.vertical_95_m, unit)}</td>
            </tr>
            <tr className={bad ? "text-flag" : ""}>
              <th className="text-left text-lg font-normal">seen</th>
              <td className="text-right">{length(claim.seen?.horizontal_95_m, unit)}</td>
              <td className="text-right">{length(claim.seen?.vertical_95_m, unit)}</td>
            </tr>
          </tbody>
        </table>
        </div>
        <p className="text-sm leading-4 text-faded">
          {claim.claim_words}
          {claim.seen_words && `; ${claim.seen_words}`}
          {bad && `. Claimed too small: ${claim.too_small.join(", ")}`}
          {claim.would_tell && `. ${claim.would_tell}`}
        </p>
      </section>
      <Card
        title={`Station ${meant.station_heard ?? "–"}`}
        value={meant.station_agrees === null ? "–" : meant.station_agrees ? "as meant" : "another"}
        flag={meant.station_agrees === false}
        lines={[meant.words]}
      />
    </div>
  );
}

function Card(props: { title: string; value: string; sign?: string; flag?: boolean; lines: string[] }) {
  return (
    <section className={`min-w-0 rounded border-2 bg-page px-4 py-2 small:px-3 small:last:col-span-2 ${props.flag ? "border-flag" : "border-line"}`} aria-label={props.title}>
      <h2 className="text-faded">{props.title}</h2>
      <p className={`text-4xl leading-10 font-bold whitespace-nowrap small:text-3xl ${props.flag ? "text-flag" : ""}`}>
        {props.value}
        {props.sign && props.value !== "–" && <span className="ml-1 text-lg font-semibold">{props.sign}</span>}
      </p>
      {props.lines.filter(Boolean).map((line) => (
        <p key={line} className="text-sm leading-4 text-faded">
          {line}
        </p>
      ))}
    </section>
  );
}

/** A new initialisation, compared with the one that holds. */
function Initialise({ job, shown }: { job: Schemas["JobView"]; shown: Schemas["Instrument"] }) {
  const initialise = useInitialise(job.id);
  const [said, setSaid] = useState("");
  const waits = shown.waits_for === "initialised anew";
  return (
    <Note>
      <div className="flex items-center justify-between gap-6 small:flex-col small:items-stretch small:gap-2">
        <p className="leading-6">
          <span className="font-bold">Two fixes that agree prove more than one that holds. </span>
          {initialise.isError ? <span className="font-semibold text-flag">{sentenceOf(initialise.error)}</span> : waits && said ? said : shown.initialise}
        </p>
        <Button
          disabled={initialise.isPending || waits}
          onClick={() => initialise.mutate(shown.rover_id, { onSuccess: (answer) => setSaid(answer.words) })}
        >
          <RotateCcw aria-hidden size={20} /> {waits ? "waiting for the fix" : "Re-initialise"}
        </Button>
      </div>
    </Note>
  );
}

/** What a feed is doing, and how much of it is kept. */
function Feed(props: { name: string; select: (state: LiveState) => Schemas["FeedView"] | null | undefined; missing: string }) {
  const feed = useLive(props.select);
  return (
    <p className={feed?.trouble ? "font-semibold text-flag" : ""}>
      <span className="font-bold">
        {props.name}: {feed?.state ?? props.missing}.
      </span>{" "}
      {feed?.trouble ? feed.sentence : feed && `${(feed.received_bytes / 1000).toFixed(0)} kB kept.`}
    </p>
  );
}

/** Both feeds, and the base's messages over the last minute at this listener. */
function Messages({ link }: { link: Schemas["LinkQuality"] }) {
  return (
    <section className="rounded border-2 border-line bg-page px-4 py-2" aria-label="Base stream">
      <Feed name="Rover NMEA" select={({ live }) => live?.rover_feed} missing="not listened to" />
      <Feed name="Base stream" select={({ live }) => live?.base_feed} missing="not listened to: what is on the air is unchecked" />
      <p className="leading-6">
        {link.words}
        {link.bad_crc > 0 && ` ${link.bad_crc} frames came damaged.`}
      </p>
      {link.messages.length > 0 && (
        <ul className="mt-1 flex flex-wrap gap-x-6 gap-y-1">
          {link.messages.map((item) => (
            <li key={item.number} className={item.lacks ? "font-bold text-flag" : ""}>
              <span className="font-semibold">{item.number}</span> {item.received} of {item.expected}
              {!item.planned && <span className="text-faded"> not planned</span>}
            </li>
          ))}
          <li className="text-faded">within {link.window_s.toFixed(0)} s</li>
        </ul>
      )}
    </section>
  );
}
