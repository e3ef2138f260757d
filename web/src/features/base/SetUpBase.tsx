import { ArrowDown, Radio as RadioIcon } from "lucide-react";
import { useState } from "react";
import { useWho } from "../../api/hand";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useDropSetUp, useSettle, useStartBase, useTakeSetUpUp } from "../../api/queries";
import { Button, Note, TextField } from "../../ui/controls";
import { useMarkNamed } from "../../ui/marks";
import { Page } from "../../ui/Page";
import { More } from "../../ui/More";
import { Steps, type Step } from "../../ui/Steps";
import { TickRow } from "../../ui/ticks";
import { CoordinateStep } from "./CoordinateStep";
import { changedOf, FeedFields, feedsOf, listenOf, withoutPasswords, type Feeds } from "./FeedFields";
import { OpeningHeight, useReading } from "./HeightsStep";
import { MarkStep } from "./MarkStep";
import { MeantTable } from "./MeantTable";
import { Asked, SiteStep } from "./SiteStep";
import { StackCard } from "./TypedHeight";

const KEYS = ["site", "mark", "height", "coordinate", "air"] as const;
type Key = (typeof KEYS)[number];

/** Set up the base, step by step, each kept as it is settled; then start. */
export function SetUpBase(props: {
  job: Schemas["JobView"];
  view: Schemas["BaseView"];
  average: Schemas["AverageView"] | null;
  tabs: React.ReactNode;
}) {
  const { job, view, average } = props;
  const { setup } = view;
  const mark = useMarkNamed(job.id, setup?.mark_id ? setup.mark_name : "");
  const reading = useReading(job.id, "before", view.heights);
  const air = useAir(job, view);
  const drop = useDropSetUp(job.id);
  const steps = view.parts as Step<Key>[];
  const takeUp = useTakeSetUpUp(job.id);
  // A set-up is gone on with where it stopped; what is asked of the site does not hold it up.
  const [open, setOpen] = useState<Key>(() => steps.find((step) => step.state === "missing" && (!setup || step.key !== "site"))?.key ?? "air");
  const next = KEYS[KEYS.indexOf(open) + 1];
  const missing = setup?.missing ?? ["Pick the mark under the antenna."];
  const stops = setup?.stops ?? [];
  const aside = asideOf(open, air.start.error, missing, stops);
  const bodies = {
    site: <SiteStep job={job} view={view} />,
    mark: <MarkStep job={job} view={view} average={average} mark={mark} />,
    height: <OpeningHeight job={job} heights={view.heights} reading={reading} />,
    coordinate: <CoordinateStep job={job} view={view} average={average} />,
    air: <AirStep job={job} view={view} air={air} />,
  };
  return (
    <Page
      title="Base"
      why="Over which mark, how high, and with which coordinate."
      tabs={props.tabs}
      aside={<div className={aside.flag ? "font-semibold text-flag" : "text-faded"}>{aside.words}</div>}
      action={
        <NextAction next={next} open={open} reading={reading} setOpen={setOpen} steps={steps} stops={stops} missing={missing} air={air} />
      }
    >
      <div className="grid grid-cols-1 lg:grid-cols-[3fr_2fr] items-start gap-5">
        <div className="min-w-0">
          <Steps steps={steps} open={open} onOpen={setOpen}>
            {bodies[open]}
          </Steps>
          {!setup && view.given_up && (
            <Abandoned takeUp={takeUp} />
          )}
          {setup && (
            <div className="mt-3 flex items-center gap-4">
              <Button className="text-base!" disabled={drop.isPending} onClick={() => drop.mutate(undefined, { onSuccess: () => setOpen("site") })}>
                Abandon this set-up
              </Button>
              {drop.isError && <span className="font-semibold text-flag">{sentenceOf(drop.error)}</span>}
            </div>
          )}
        </div>
        <StackAndMeant job={job} view={view} reading={reading} setup={setup} />
      </div>
    </Page>
  );
}

/** A set-up that was abandoned can be taken up again. */
function Abandoned({ takeUp }: { takeUp: ReturnType<typeof useTakeSetUpUp> }) {
  return (
    <Note>
      <div className="flex items-center justify-between gap-4">
        <span>The last set-up was abandoned. Its readings are in the Book.</span>
        <Button disabled={takeUp.isPending} onClick={() => takeUp.mutate(undefined)}>
          Take it up again
        </Button>
      </div>
      {takeUp.isError && <p className="font-semibold text-flag">{sentenceOf(takeUp.error)}</p>}
    </Note>
  );
}

/** The next step, or the start. */
function NextAction(props: {
  next: Key | undefined;
  open: Key;
  reading: ReturnType<typeof useReading>;
  setOpen: (value: Key) => void;
  steps: Step<Key>[];
  stops: string[];
  missing: string[];
  air: ReturnType<typeof useAir>;
}) {
  const { next, open, reading, setOpen, steps, stops, missing, air } = props;
  return next ? (
    open === "height" && reading.height ? (
      <Button kind="primary" large disabled={reading.add.isPending} onClick={() => reading.send()}>
        Add {reading.height.text}
      </Button>
    ) : (
      <Button kind="primary" large onClick={() => setOpen(next)}>
        <ArrowDown aria-hidden /> Next: {steps.find((step) => step.key === next)?.title}
      </Button>
    )
  ) : (
    <Button
      kind={stops.length ? "danger" : "primary"}
      large
      disabled={missing.length > 0 || (stops.length > 0 && !(air.accepted && air.despite.reason.trim() && air.despite.who.trim())) || air.start.isPending}
      onClick={air.send}
    >
      <RadioIcon aria-hidden /> {stops.length ? "Start anyway" : "Start the base"}
    </Button>
  );
}

/** The height to scale, and what will be meant. */
function StackAndMeant(props: {
  job: Schemas["JobView"];
  view: Schemas["BaseView"];
  reading: ReturnType<typeof useReading>;
  setup: Schemas["SetUpView"] | null;
}) {
  const { job, view, reading, setup } = props;
  return (
    <div className="sticky top-0 flex flex-col gap-3">
      <StackCard job={job} heights={view.heights} typed={reading.typed} />
      <MeantTable
        job={job}
        meant={setup?.arp ?? null}
        arpHeightM={view.heights.opening?.stack?.arp_height_m ?? null}
        stationId={setup?.station_id ?? null}
        air={null}
        state={view.compared}
        running={false}
      />
    </div>
  );
}

function asideOf(open: Key, error: unknown, missing: string[], stops: string[]): { words: string; flag: boolean } {
  if (error) return { words: sentenceOf(error), flag: true };
  if (open === "air" && missing.length) return { words: missing.join(" "), flag: false };
  if (stops.length) return { words: `Stop: ${stops[0]}`, flag: true };
  if (open === "air") return { words: "Screw the antenna on before power. Look at bubble and plummet once more.", flag: false };
  return { words: "What is settled is kept: come back to it at any time.", flag: false };
}

/** What the last step holds: addresses, station ID, whether a stop is accepted, and the start itself. */
function useAir(job: Schemas["JobView"], view: Schemas["BaseView"]) {
  const { setup, suggested } = view;
  const [kept, setKept] = useState<Feeds>(() =>
    feedsOf({
      base_url: setup?.base_url ?? suggested.base_url,
      rover_url: setup?.rover_url ?? suggested.rover_url,
      receiver_url: setup?.receiver_url ?? suggested.receiver_url,
      refers_to: setup?.refers_to ?? suggested.refers_to,
    }),
  );
  const [feeds, setFeeds] = useState<Feeds>(kept);
  const [typedId, setStationId] = useState<string | null>(null);
  const [accepted, setAccepted] = useState(false);
  const [despite, setDespite] = useState({ reason: "", who: useWho() });
  const settle = useSettle(job.id);
  const start = useStartBase(job.id);
  const stationId = typedId ?? String(setup?.station_id ?? suggested.station_id);
  const number = /^\d+$/.test(stationId.trim()) ? Number(stationId) : null;
  const error = start.error ?? settle.error;
  const problem = error instanceof Problem ? error : null;
  return {
    feeds,
    setFeeds,
    stationId,
    setStationId,
    idProblem: number === null ? "A station ID is a whole number from 0 to 4095." : problem?.field === "station_id" ? problem.sentence : null,
    accepted,
    setAccepted,
    despite,
    setDespite,
    problem,
    start,
    // Only what was typed here: what another device has settled meanwhile stays.
    keep: () => {
      const typed = changedOf(kept, feeds);
      if (typedId !== null && number !== null) typed.station_id = number;
      if (!Object.keys(typed).length) return;
      settle.mutate(typed, {
        onSuccess: (view) => {
          setKept(feeds);
          setStationId((now) => (now === typedId ? null : now));
          // A password in an address has gone to the file of passwords: it does not stay on the screen.
          setFeeds((now) => (view.setup ? withoutPasswords(now, feeds, view.setup) : now));
        },
      });
    },
    send: () => start.mutate({ listen: listenOf(feeds), accepted, ...despite, ...(number === null ? {} : { station_id: number }) }),
  };
}

function AirStep({ job, view, air }: { job: Schemas["JobView"]; view: Schemas["BaseView"]; air: ReturnType<typeof useAir> }) {
  const stops = view.setup?.stops ?? [];
  return (
    <>
      <Asked job={job} view={view} keys={(question) => question.group === "level" && question.key !== "level:setup"} />
      {stops.length > 0 && (
        <Note tone="flag">
          {stops.map((sentence) => (
            <p key={sentence} className="font-bold text-flag">
              {sentence}
            </p>
          ))}
          <TickRow what="I have read this: start anyway" why="The Book keeps what was accepted." done={air.accepted} onTick={() => air.setAccepted(!air.accepted)} />
          {air.accepted && (
            <div className="grid grid-cols-1 sm:grid-cols-[1fr_10rem] gap-3">
              <TextField label="Why anyway" name="despite_reason" value={air.despite.reason} onChange={(reason) => air.setDespite({ ...air.despite, reason })} />
              <TextField label="Decided by" name="despite_who" value={air.despite.who} onChange={(who) => air.setDespite({ ...air.despite, who })} />
            </div>
          )}
        </Note>
      )}
      <More title="Station ID, and where to listen" open={!job.practice || Boolean(air.problem)}>
        {/* What is typed is kept when its field is left. */}
        <div onBlur={air.keep}>
          <FeedFields feeds={air.feeds} onChange={air.setFeeds} problem={air.problem} practice={job.practice}>
            <TextField label="Station ID" name="station_id" value={air.stationId} onChange={air.setStationId} problem={air.idProblem} />
          </FeedFields>
        </div>
      </More>
    </>
  );
}
