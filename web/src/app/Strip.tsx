import { MessageSquareWarning } from "lucide-react";
import { useEffect, useState } from "react";
import type { Schemas } from "../api/client";
import { useLive, type LiveState } from "../api/live";
import { useSteps } from "../api/queries";
import { clock, counted, distance, fixed, length, UNIT_SIGN } from "../lib/format";

const STATUS_TONE: Record<string, string> = {
  fixed: "bg-checked text-page",
  float: "bg-lath text-[#22262b]",
  dgps: "bg-lath text-[#22262b]",
  single: "bg-lath text-[#22262b]",
};

/** The live strip: solution in words, age, satellites, 95 %, distance to base; the findings' door. */
export function Strip(props: { job: Schemas["JobView"]; drawer: boolean; onDrawer: () => void }) {
  const { job } = props;
  const unit = job.length_unit;
  const sign = UNIT_SIGN[unit];
  return (
    <header className="min-w-0 border-b-2 border-line bg-page short:sticky short:top-0 short:z-10">
      <div className="flex h-16 items-stretch">
        <div className="flex w-52 min-w-0 flex-col justify-center px-4 hand:w-36 hand:px-3 small:hidden">
          <span className="truncate leading-5 font-bold" title={job.name}>
            {job.name}
          </span>
          <span className="truncate text-sm text-faded">
            {job.length_unit_word}
            {job.practice && ", practice"}
            <RoverName />
          </span>
        </div>
        <Status />
        <LiveFigure label="age" select={({ live }) => fixed(live?.age_s, 1)} sign="s" />
        <LiveFigure wide="tablet" label="satellites" select={({ live }) => live?.satellites?.toString() ?? "–"} />
        <LiveFigure label="H 95 %" more=", claimed" select={({ live }) => length(live?.horizontal_95_m, unit)} sign={sign} />
        <LiveFigure label="V 95 %" more=", claimed" select={({ live }) => length(live?.vertical_95_m, unit)} sign={sign} />
        <Distance unit={unit} />
        <FindingsDoor jobId={job.id} open={props.drawer} onPress={props.onDrawer} />
      </div>
      <FeedTrouble timeZone={job.time_zone} />
    </header>
  );
}

/** Whose figures these are, where there is more than one rover. */
function RoverName() {
  const name = useLive(({ rovers, live }) => (rovers.length > 1 ? (live?.rover_name ?? "") : ""));
  return name && <span className="font-bold text-ink">, {name}</span>;
}

function Status() {
  const connection = useLive((state) => state.connection);
  const there = useLive(({ live }) => live !== null);
  const status = useLive(({ live }) => live?.status ?? "");
  const word = useLive(({ live }) => live?.status_word ?? "NOT RUNNING");
  const silent = useLive(({ live }) => live?.silent ?? false) || connection === "lost";
  return (
    <div
      className={`flex w-44 items-center justify-center px-1 text-center leading-5 font-bold hand:w-32 small:w-26 small:flex-1 ${there ? "text-2xl" : "text-xl hand:text-lg"} ${STATUS_TONE[status] ?? (silent ? "bg-flagwash text-flag" : "bg-paper text-ink")}`}
      role="status"
      data-testid="status"
    >
      {connection === "lost" ? "NO PROGRAM" : word}
    </div>
  );
}

interface Figure {
  label: string;
  /** The rest of the label, where there is room. */
  more?: string;
  /** Shown only where there is room: not on a phone, or on the laptop alone. */
  wide?: "tablet" | "laptop";
  sign?: string;
}

function LiveFigure({ select, ...figure }: Figure & { select: (state: LiveState) => string }) {
  return <StripFigure {...figure} value={useLive(select)} />;
}

function Distance({ unit }: { unit: Schemas["JobView"]["length_unit"] }) {
  const away = distance(useLive(({ live }) => live?.distance_m), unit);
  return <StripFigure wide="laptop" label="to base" value={away.value} sign={away.sign} />;
}

function StripFigure({ label, more, wide, value, sign = "" }: Figure & { value: string }) {
  return (
    <div className={`flex min-w-24 flex-col justify-center border-l border-line px-3 hand:min-w-20 small:min-w-16 small:px-2 ${wide === "laptop" ? "hand:hidden" : wide ? "small:hidden" : ""}`}>
      <span className="text-sm whitespace-nowrap text-faded">
        {label}
        {more && <span className="hand:hidden">{more}</span>}
      </span>
      <span className="text-2xl leading-6 font-bold whitespace-nowrap small:text-xl">
        {value}
        {sign && value !== "–" && <span className="ml-1 text-base font-semibold small:ml-0.5 small:text-sm">{sign}</span>}
      </span>
    </div>
  );
}

function FindingsDoor({ jobId, open, onPress }: { jobId: string; open: boolean; onPress: () => void }) {
  const steps = useSteps(jobId);
  const stops = steps.data?.stops ?? 0;
  const findings = steps.data?.findings.length ?? 0;
  return (
    <button
      type="button"
      aria-expanded={open}
      className={`ml-auto flex min-w-36 items-center justify-center gap-2 border-l-2 border-line px-3 font-semibold hand:min-w-28 small:w-14 small:min-w-0 small:flex-col small:gap-0 small:px-0 small:text-base small:leading-4 ${stops ? "bg-flagwash text-flag" : ""}`}
      onClick={onPress}
    >
      <MessageSquareWarning size={22} aria-hidden />
      <span className="small:hidden">{stops ? counted(stops, "stop") : findings ? counted(findings, "finding") : "Findings"}</span>
      <span className="hidden small:inline">
        {stops || findings}
        <span className="sr-only">{stops ? (stops === 1 ? " stop" : " stops") : findings === 1 ? " finding" : " findings"}</span>
      </span>
    </button>
  );
}

/** The feeds that are in trouble, by their names. */
function troubled(live: Schemas["Live"] | null): [string, Schemas["FeedView"]][] {
  const feeds = [["Base stream", live?.base_feed], ["Base receiver", live?.receiver_feed], ["Rover", live?.rover_feed]] as const;
  return feeds.flatMap(([name, feed]) => (feed?.trouble ? [[name, feed]] : []));
}

/** One line for what is broken between the devices, the program and this page; nothing while all is well. */
function FeedTrouble({ timeZone }: { timeZone: string }) {
  const since = useLive(({ lostSince }) => lostSince);
  const words = useLive(({ live, clockOff_s }) =>
    [
      ...troubled(live).map(([name, feed]) => `${name}: ${feed.sentence}`),
      live?.storing_problem ?? "",
      clockOff_s ? `This device's clock is ${Math.abs(clockOff_s)} s ${clockOff_s > 0 ? "fast" : "slow"}. All times here are the program's.` : "",
    ]
      .filter(Boolean)
      .join("  "),
  );
  const spoken = useLive(({ live }) =>
    troubled(live)
      .map(([name, feed]) => `${name}: ${feed.state}.`)
      .join(" "),
  );
  if (since === null && !words) return null;
  return (
    <p className="border-t-2 border-flag bg-flagwash px-4 py-1 text-base leading-5 font-semibold text-flag">
      {/* Said when it begins, and not with every second that passes. */}
      <span role="alert" className="sr-only">
        {since === null ? spoken : "Cut off: the program does not answer."}
      </span>
      {since === null ? words : <CutOff since={since} timeZone={timeZone} />}
    </p>
  );
}

/** Since when nothing is heard. It is said once: the seconds that pass are for the eye alone. */
function CutOff({ since, timeZone }: { since: number; timeZone: string }) {
  const off_s = useLive(({ clockOff_s }) => clockOff_s);
  const [now, setNow] = useState(since);
  useEffect(() => {
    const tick = () => setNow(Date.now());
    tick();
    const timer = setInterval(tick, 1000);
    return () => clearInterval(timer);
  }, []);
  return (
    <>
      Cut off since {clock(since / 1000 - off_s, timeZone)} <span aria-hidden>({Math.round((now - since) / 1000)} s)</span>: the program does not answer. What it
      acknowledged is kept, what is below is of then. This page tries again by itself.
    </>
  );
}
