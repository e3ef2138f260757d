import { Square } from "lucide-react";
import { useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useEndBase, useListenElsewhere } from "../../api/queries";
import { clock, distance, fixed, length, millimetres, UNIT_SIGN } from "../../lib/format";
import { Button, Note } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { Steps, type Step } from "../../ui/Steps";
import { Coordinates } from "./Coordinates";
import { FeedFields, feedsOf, listenOf } from "./FeedFields";
import { ClosingHeight, ReadingFields, ReadingTable, useReading } from "./HeightsStep";
import { Logs } from "./Logs";
import { MeantTable } from "./MeantTable";
import { Asked, SiteStep } from "./SiteStep";
import { StackCard } from "./TypedHeight";

type Key = "air" | "height" | "coordinate" | "log" | "listen" | "site" | "end";

interface RunningProps {
  job: Schemas["JobView"];
  view: Schemas["BaseView"];
  occupation: Schemas["OccupationView"];
}

/** A base that runs: what it sends against what is meant, what can still be corrected, and its end. */
export function RunningBase(props: RunningProps & { tabs: React.ReactNode }) {
  const { job, view, occupation } = props;
  const end = useEndBase(job.id);
  const opening = useReading(job.id, "before", view.heights);
  const closing = useReading(job.id, "after", view.heights);
  const [open, setOpen] = useState<Key>("air");
  const ending = open === "end";
  const moved = view.heights.closing_findings.find((item) => item.is_stop);
  const bodies = {
    air: <AirStep {...props} />,
    height: (
      <>
        <ReadingTable job={job} heights={view.heights} moment="before" />
        <ReadingFields job={job} reading={opening} />
        <FindingList findings={view.heights.findings} />
      </>
    ),
    coordinate: <Coordinates job={job} occupationId={occupation.id} coordinates={occupation.coordinates} locked={occupation.locked} anew={occupation.anew} />,
    log: <Logs job={job} logs={occupation.logs} running={true} />,
    listen: <ListenElsewhere {...props} />,
    site: (
      <>
        <Asked job={job} view={view} keys={(question) => question.group === "level"} />
        <SiteStep job={job} view={view} />
      </>
    ),
    end: <ClosingHeight job={job} heights={view.heights} reading={closing} />,
  };
  return (
    <Page
      title={`Base on ${occupation.mark_name}`}
      why={`running since ${clock(occupation.started_s, job.time_zone)}, station ${occupation.station_id}`}
      tabs={props.tabs}
      aside={
        end.isError ? (
          <p className="font-semibold text-flag">{sentenceOf(end.error)}</p>
        ) : ending ? (
          <p className={`font-semibold ${moved ? "text-flag" : ""}`}>
            {moved ? `Stop: ${moved.sentence}` : view.heights.closing ? "End it? Listening stops; everything recorded stays." : "No closing height yet. Without it nobody knows whether the tripod moved."}
          </p>
        ) : (
          <p className="text-faded">A base does not show &ldquo;fixed&rdquo;: single, DGPS or manual is right. It knows where it is.</p>
        )
      }
      action={
        <EndActions ending={ending} setOpen={setOpen} closing={closing} end={end} />
      }
    >
      <div className="grid grid-cols-1 lg:grid-cols-[3fr_2fr] items-start gap-5">
        <Steps steps={view.parts as Step<Key>[]} open={open} onOpen={setOpen}>
          {bodies[open]}
        </Steps>
        <OnTheAir job={job} occupation={occupation} view={view} ending={ending} closing={closing} opening={opening} />
      </div>
    </Page>
  );
}

/** End the base: the closing height first. */
function EndActions(props: {
  ending: boolean;
  setOpen: (value: Key) => void;
  closing: ReturnType<typeof useReading>;
  end: ReturnType<typeof useEndBase>;
}) {
  const { ending, setOpen, closing, end } = props;
  return ending ? (
    <div className="flex gap-4">
      <Button className="h-record!" onClick={() => setOpen("air")}>
        Keep running
      </Button>
      {closing.height ? (
        <Button kind="primary" large disabled={closing.add.isPending} onClick={() => closing.send()}>
          Add {closing.height.text}
        </Button>
      ) : (
        <Button kind="danger" large disabled={end.isPending} onClick={() => end.mutate(undefined)}>
          End the base
        </Button>
      )}
    </div>
  ) : (
    <Button large onClick={() => setOpen("end")}>
      <Square aria-hidden /> End the base
    </Button>
  );
}

/** The height to scale, and what is meant against what is on the air. */
function OnTheAir(props: {
  job: Schemas["JobView"];
  occupation: Schemas["OccupationView"];
  view: Schemas["BaseView"];
  ending: boolean;
  closing: ReturnType<typeof useReading>;
  opening: ReturnType<typeof useReading>;
}) {
  const { job, occupation, view, ending, closing, opening } = props;
  return (
    <div className="sticky top-0 flex flex-col gap-3">
      <MeantTable
        job={job}
        meant={{ latitude_deg: occupation.latitude_deg, longitude_deg: occupation.longitude_deg, height_m: occupation.arp_ellipsoidal_height_m }}
        arpHeightM={occupation.arp_height_m}
        stationId={occupation.station_id}
        air={view.on_air}
        state={view.compared}
        running
      />
      <StackCard job={job} heights={view.heights} typed={ending ? closing.typed : opening.typed} />
    </div>
  );
}

function AirStep({ job, view, occupation }: RunningProps) {
  return (
    <>
      <FindingList findings={view.findings} />
      <MessageTable messages={view.messages} />
      {view.effect && <Effect job={job} effect={view.effect} />}
      <p className="text-base leading-5 text-faded">
        Coordinate from {occupation.source_detail}; frame {occupation.frame}, epoch {occupation.frame_epoch}.
      </p>
    </>
  );
}

function MessageTable({ messages }: { messages: Schemas["MessageOnAir"][] }) {
  if (!messages.length) return null;
  return (
    <section aria-label="Messages on the air">
      <h3 className="font-bold">Messages, seconds between two</h3>
      <ul className="flex flex-wrap gap-2">
        {messages.map((item) => (
          <li key={item.number} className={`rounded border-2 px-3 py-1 leading-5 ${item.count ? "border-line bg-page" : "border-dashed border-line text-faded"}`}>
            <span className="font-bold">{item.number}</span>
            <span className="block text-base">
              {item.heard_s !== null ? fixed(item.heard_s, 0) : item.count ? "heard" : "not heard"}
              {item.planned_s !== null ? ` (plan ${fixed(item.planned_s, 0)})` : " (not planned)"}
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}

/** What an error of the base as large as its accuracy does here. */
function Effect({ job, effect }: { job: Schemas["JobView"]; effect: Schemas["BaseErrorEffect"] }) {
  const unit = job.length_unit;
  const far = distance(effect.far_m, unit);
  const more = [effect.far_scale_m, effect.far_height_m].every((metres) => Math.abs(metres) < 0.0001)
    ? "nothing that shows is added"
    : `${millimetres(effect.far_scale_m)} from scale and ${millimetres(effect.far_height_m)} in height are added`;
  return (
    <p className="leading-6">
      <span className="font-semibold">If the base is off by what it may be: </span>
      every point shifts alike by {length(effect.shift_horizontal_m, unit)} horizontally and {length(effect.shift_up_m, unit)} {UNIT_SIGN[unit]} in
      height. At the far end, {far.value} {far.sign} away, {more}.
    </p>
  );
}

/** A wrong address is mended without ending the base. */
function ListenElsewhere({ job, occupation }: RunningProps) {
  const [feeds, setFeeds] = useState(feedsOf(occupation));
  const listen = useListenElsewhere(job.id);
  const problem = problemOf(listen.error);
  return (
    <>
      <FeedFields feeds={feeds} onChange={setFeeds} problem={problem} practice={job.practice} />
      {problem && !problem.field && <Note tone="flag">{problem.sentence}</Note>}
      <Button className="self-start" disabled={listen.isPending} onClick={() => listen.mutate(listenOf(feeds))}>
        Listen there
      </Button>
    </>
  );
}
