import { Square } from "lucide-react";
import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useCorrectHeight, useEndBase, useListenElsewhere } from "../../api/queries";
import { clock, fixed, length, millimetres, UNIT_SIGN } from "../../lib/format";
import { Button, Note, TextField } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { Page } from "../../ui/Page";
import { StateMark, type State } from "../../ui/StateMark";
import { FeedFields, feedsOf, listenOf } from "./FeedFields";
import { HeightFields, HeightPicture, useTypedHeight, type TypedHeight } from "./HeightEntry";

/** A base that runs: meant against on the air, and the height to correct if it was wrong. */
export function RunningBase(props: { job: Schemas["Job"]; view: Schemas["BaseView"]; occupation: Schemas["Occupation"] }) {
  const { job, view, occupation } = props;
  const end = useEndBase(job.id);
  const [asking, setAsking] = useState(false);
  const [correcting, setCorrecting] = useState(false);
  return (
    <Page
      title={`Base on ${occupation.mark_name}`}
      why={`running since ${clock(occupation.started_s, job.time_zone)}, station ${occupation.station_id}`}
      aside={
        asking ? (
          <p className="font-semibold">End it? Listening stops; everything recorded stays. Measure the height once more first.</p>
        ) : (
          <p className="text-faded">A base does not show &ldquo;fixed&rdquo;: single, DGPS or manual is right there. It is the one that knows where it is.</p>
        )
      }
      action={
        asking ? (
          <div className="flex gap-4">
            <Button className="h-record!" onClick={() => setAsking(false)}>
              Keep running
            </Button>
            <Button kind="danger" large disabled={end.isPending} onClick={() => end.mutate(undefined)}>
              End the base
            </Button>
          </div>
        ) : (
          <Button large onClick={() => setAsking(true)}>
            <Square aria-hidden /> End the base
          </Button>
        )
      }
    >
      {end.isError && <Note tone="flag">{sentenceOf(end.error)}</Note>}
      <div className="grid grid-cols-[3fr_2fr] gap-6">
        <div className="flex min-w-0 flex-col gap-5">
          <OnAirTable job={job} view={view} occupation={occupation} />
          <FindingList findings={view.findings} />
          {!job.practice && <ListenElsewhere job={job} occupation={occupation} />}
        </div>
        <div className="flex flex-col gap-3">
          {correcting ? (
            <CorrectHeight job={job} occupation={occupation} onClose={() => setCorrecting(false)} />
          ) : (
            <TypedHeightCard job={job} occupation={occupation} onCorrect={() => setCorrecting(true)} />
          )}
        </div>
      </div>
    </Page>
  );
}

function TypedHeightCard(props: { job: Schemas["Job"]; occupation: Schemas["Occupation"]; onCorrect: () => void }) {
  const { job, occupation } = props;
  return (
    <section className="rounded border-2 border-line bg-page p-4">
      <h2 className="text-faded">Height of the ARP above the mark</h2>
      <p className="text-5xl font-bold">
        {length(occupation.arp_height_m, job.length_unit)}
        <span className="ml-1 text-2xl">{UNIT_SIGN[job.length_unit]}</span>
      </p>
      <p className="mt-2">
        typed &lsquo;{occupation.height_text}&rsquo; to: {occupation.height_feature}
        {occupation.height_corrected && <span className="ml-2 font-bold">(corrected; the first is in the Book)</span>}
      </p>
      <div className="h-60">
        <HeightPicture height={useTypedHeight(job.id, { reading: occupation.height_text, feature: occupation.height_feature_name }).height} />
      </div>
      <Button className="mt-4 w-full" onClick={props.onCorrect}>
        Correct the height
      </Button>
    </section>
  );
}

function CorrectHeight(props: { job: Schemas["Job"]; occupation: Schemas["Occupation"]; onClose: () => void }) {
  const { job, occupation } = props;
  const [typed, setTyped] = useState<TypedHeight>({ reading: "", feature: "bottom" });
  const [reason, setReason] = useState("");
  const correct = useCorrectHeight(job.id);
  const { height, problem } = useTypedHeight(job.id, typed);
  return (
    <section className="flex flex-col gap-4 rounded border-2 border-ink bg-page p-4">
      <h2 className="text-xl font-bold">Correct the height</h2>
      <HeightFields typed={typed} onChange={setTyped} problem={problem} job={job} />
      {height && (
        <div className="h-56">
          <HeightPicture height={height} />
        </div>
      )}
      <TextField label="Why" name="reason" value={reason} onChange={setReason} placeholder="measured again, tape misread" />
      <p className="text-base text-faded">
        Every point from this base follows at once. The old value stays in the Book, and a further correction brings it back.
        A real receiver keeps sending the old height until you type the new one into it.
      </p>
      {correct.isError && <Note tone="flag">{sentenceOf(correct.error)}</Note>}
      <div className="flex gap-3">
        <Button className="flex-1" onClick={props.onClose}>
          Back
        </Button>
        <Button
          kind="primary"
          className="flex-1"
          disabled={!height || !reason.trim() || correct.isPending}
          onClick={() =>
            correct.mutate(
              { replaces_id: occupation.height_reading_id, ...typed, reason },
              { onSuccess: props.onClose },
            )
          }
        >
          Correct
        </Button>
      </div>
    </section>
  );
}

/** A wrong address is mended without ending the base. */
function ListenElsewhere({ job, occupation }: { job: Schemas["Job"]; occupation: Schemas["Occupation"] }) {
  const [feeds, setFeeds] = useState(feedsOf(occupation.base_url, occupation.rover_url, occupation.refers_to));
  const listen = useListenElsewhere(job.id);
  const problem = listen.error instanceof Problem ? listen.error : null;
  return (
    <details className="rounded border-2 border-line bg-page">
      <summary className="flex min-h-touch cursor-pointer items-center px-4 font-semibold">Where to listen</summary>
      <div className="flex flex-col gap-4 px-4 pb-4">
        <FeedFields feeds={feeds} onChange={setFeeds} problem={problem} practice={job.practice} />
        {problem && !problem.field && <Note tone="flag">{problem.sentence}</Note>}
        <Button disabled={listen.isPending} onClick={() => listen.mutate(listenOf(feeds))}>
          Listen there
        </Button>
      </div>
    </details>
  );
}

function OnAirTable({ job, view, occupation }: { job: Schemas["Job"]; view: Schemas["BaseView"]; occupation: Schemas["Occupation"] }) {
  const air = view.on_air;
  const unit = job.length_unit;
  const state: State = !air ? "entered" : air.agrees ? "checked" : "disagrees";
  const words = { checked: "sends what is meant", entered: "not heard yet", disagrees: "sends something else" };
  return (
    <section className="rounded border-2 border-line bg-page p-4">
      <h2 className="mb-3 flex items-center gap-3 text-2xl font-bold">
        <StateMark state={state} size={30} /> {words[state as keyof typeof words]}
      </h2>
      <table className="w-full text-right">
        <thead className="text-base text-faded">
          <tr>
            <th />
            <th className="font-normal">meant</th>
            <th className="font-normal">on the air − meant</th>
          </tr>
        </thead>
        <tbody>
          <Row name="ARP latitude" meant={`${fixed(occupation.latitude_deg, 9)}°`} off={air ? `${millimetres(air.north_m)} north` : "–"} />
          <Row name="ARP longitude" meant={`${fixed(occupation.longitude_deg, 9)}°`} off={air ? `${millimetres(air.east_m)} east` : "–"} />
          <Row
            name="ARP ellipsoidal height"
            meant={`${length(occupation.arp_ellipsoidal_height_m, unit)} ${UNIT_SIGN[unit]}`}
            off={air ? `${millimetres(air.up_m)} up` : "–"}
          />
          <Row
            name="Antenna height"
            meant={`${length(occupation.arp_height_m, unit)} ${UNIT_SIGN[unit]}`}
            off={!air ? "–" : air.antenna_height_m === null ? "not stated" : `sent: ${length(air.antenna_height_m, unit)} ${UNIT_SIGN[unit]}`}
          />
          <Row name="Station ID" meant={String(occupation.station_id)} off={air ? `sent: ${air.station_id}` : "–"} />
        </tbody>
      </table>
      <p className="mt-3 text-base text-faded">
        Coordinate from {occupation.source_detail}; frame {occupation.frame}, epoch {occupation.frame_epoch}; good to about{" "}
        {length(occupation.accuracy_horizontal_95_m, unit)} and {length(occupation.accuracy_vertical_95_m, unit)} {UNIT_SIGN[unit]} (95 %).
      </p>
    </section>
  );
}

function Row({ name, meant, off }: { name: string; meant: string; off: string }) {
  return (
    <tr className="h-10 border-t border-line">
      <th className="text-left font-normal">{name}</th>
      <td className="font-bold">{meant}</td>
      <td>{off}</td>
    </tr>
  );
}
