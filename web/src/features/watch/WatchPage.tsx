import { Crosshair } from "lucide-react";
import { useState } from "react";
import { Link } from "react-router";
import { sentenceOf, type Schemas } from "../../api/client";
import { useLive } from "../../api/live";
import { useHistory, useWatch } from "../../api/queries";
import { distance, fixed, length, UNIT_SIGN } from "../../lib/format";
import { FixStrip } from "../../plots/FixStrip";
import { Figure, Note, Select } from "../../ui/controls";
import { Page } from "../../ui/Page";

const SPANS = [
  { value: "300", label: "5 minutes" },
  { value: "1200", label: "20 minutes" },
  { value: "7200", label: "2 hours" },
  { value: "43200", label: "12 hours" },
];

/** Watch: what the rover says now, and how it came to say so. */
export function WatchPage({ job }: { job: Schemas["JobView"] }) {
  const watch = useWatch(job.id);
  const [span, setSpan] = useState("300");
  const unit = job.length_unit;

  if (watch.data && !watch.data.running)
    return (
      <Page title="Watch" why="Corrections arriving, fixed or not, and how good by its own claim.">
        <Note>
          Nothing is listened to: no base is running in this job.{" "}
          <Link to={`/job/${job.id}/base`} className="font-bold underline">
            Start one on the Base page.
          </Link>
        </Note>
      </Page>
    );
  return (
    <Page
      title="Watch"
      why="The 95 % values are the receiver's own claim; only a check on a mark proves them."
      aside={<Advice />}
      action={
        <Link
          to={`/job/${job.id}/check`}
          className="inline-flex h-record items-center gap-2 rounded border-2 border-act bg-act px-8 text-2xl font-bold text-onact"
        >
          <Crosshair aria-hidden /> Check on a mark
        </Link>
      }
    >
      <Figures unit={unit} />
      <HistoryBox jobId={job.id} span={span} onSpan={setSpan} unit={unit} />
      <Feeds />
    </Page>
  );
}

function Advice() {
  return <p className="text-faded">{useLive(({ live }) => live?.advice ?? "")}</p>;
}

/** The rover's own figures now; the two that matter are large. */
function Figures({ unit }: { unit: Schemas["JobView"]["length_unit"] }) {
  const live = useLive((state) => state.live);
  const away = distance(live?.distance_m, unit);
  return (
      <div className="mb-4 grid grid-cols-[auto_auto_auto_auto_auto_1fr] items-end gap-x-10 rounded border-2 border-line bg-page px-5 py-3">
        <Figure large label="horizontal 95 %" value={length(live?.horizontal_95_m, unit)} sign={UNIT_SIGN[unit]} hint="claimed" />
        <Figure large label="height 95 %" value={length(live?.vertical_95_m, unit)} sign={UNIT_SIGN[unit]} hint="claimed" />
        <Figure label="age" value={fixed(live?.age_s, 1)} sign="s" hint="1 to 2 s is good" />
        <Figure label="satellites" value={live?.satellites?.toString() ?? "–"} hint="used" />
        <Figure label="PDOP" value={fixed(live?.pdop, 1)} hint={`H ${fixed(live?.hdop, 1)}, V ${fixed(live?.vdop, 1)}`} />
        <Figure label="to base" value={away.value} sign={away.sign} hint={live?.station_id != null ? `station ${live.station_id}` : ""} />
      </div>
  );
}

function Feeds() {
  const base = useLive(({ live }) => live?.base_feed);
  const rover = useLive(({ live }) => live?.rover_feed);
  const observables = useLive(({ live }) => live?.observables.map((item) => `${item.constellation} ${item.satellites}`).join(", "));
  return (
    <div className="mt-4 grid grid-cols-2 gap-4">
      <FeedCard name="Base stream" feed={base} missing="Not listened to: what is on the air is unchecked.">
        {observables}
      </FeedCard>
      <FeedCard name="Rover NMEA" feed={rover} missing="Not listened to." />
    </div>
  );
}

const LABELS = ["solution", "age, to 10 s", "H 95 %", "V 95 %"];

function HistoryBox(props: { jobId: string; span: string; onSpan: (span: string) => void; unit: Schemas["JobView"]["length_unit"] }) {
  const history = useHistory(props.jobId, Number(props.span));
  const most = `${length(0.1, props.unit, 2)} ${UNIT_SIGN[props.unit]}`;
  return (
    <section className="rounded border-2 border-line bg-page p-3" aria-label="Fix history">
      {history.isError && <Note tone="flag">{sentenceOf(history.error)}</Note>}
      <div className="grid h-52 grid-cols-[7.5rem_1fr] gap-2">
        <div className="relative text-base">
          {LABELS.map((label, n) => (
            <span key={label} className="absolute leading-5" style={{ top: `${[4, 28, 55, 81][n]}%` }}>
              {label}
              {n > 1 && <span className="block text-sm text-faded">to {most}</span>}
            </span>
          ))}
        </div>
        {history.data && <FixStrip history={history.data} />}
      </div>
      <div className="mt-1 flex items-center justify-between gap-4">
        <p className="flex flex-wrap gap-x-5 text-base">
          <Key colour="bg-checked" height={16} word="fixed" />
          <Key colour="bg-grain" height={12} word="float" />
          <Key colour="bg-lath" height={8} word="single" />
          <Key colour="bg-flag" height={4} word="no position" />
          <span className="text-faded">now is at the right edge</span>
        </p>
        <div className="w-48">
          <Select compact label="Span" value={props.span} options={SPANS} onChange={props.onSpan} />
        </div>
      </div>
    </section>
  );
}

function Key({ colour, height, word }: { colour: string; height: number; word: string }) {
  return (
    <span className="flex items-end gap-2">
      <span className={`mb-1 w-6 ${colour}`} style={{ height }} /> {word}
    </span>
  );
}

function FeedCard(props: {
  name: string;
  feed: Schemas["FeedView"] | null | undefined;
  missing: string;
  children?: React.ReactNode;
}) {
  const { feed } = props;
  const bad = feed?.trouble;
  return (
    <Note tone={bad ? "flag" : feed ? "checked" : "plain"}>
      <p className="font-bold">
        {props.name}: {feed?.state ?? "missing"}
      </p>
      {(bad || !feed) && <p className="leading-6">{feed ? feed.sentence : props.missing}</p>}
      <p className="text-base text-faded">
        {feed && feed.received_bytes > 0 && `${(feed.received_bytes / 1000).toFixed(0)} kB kept. `}
        {props.children}
      </p>
    </Note>
  );
}
