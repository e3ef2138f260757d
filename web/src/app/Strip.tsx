import { MessageSquareWarning } from "lucide-react";
import type { Schemas } from "../api/client";
import { useLive, type LiveState } from "../api/live";
import { useSteps } from "../api/queries";
import { counted, distance, fixed, length, UNIT_SIGN } from "../lib/format";

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
    <header className="border-b-2 border-line bg-page">
      <div className="flex h-16 items-stretch">
        <div className="flex w-52 min-w-0 flex-col justify-center px-4">
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
        <LiveFigure label="satellites" select={({ live }) => live?.satellites?.toString() ?? "–"} />
        <LiveFigure label="H 95 %, claimed" select={({ live }) => length(live?.horizontal_95_m, unit)} sign={sign} />
        <LiveFigure label="V 95 %, claimed" select={({ live }) => length(live?.vertical_95_m, unit)} sign={sign} />
        <Distance unit={unit} />
        <FindingsDoor jobId={job.id} open={props.drawer} onPress={props.onDrawer} />
      </div>
      <FeedTrouble />
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
      className={`flex w-44 items-center justify-center font-bold ${there ? "text-2xl" : "text-xl"} ${STATUS_TONE[status] ?? (silent ? "bg-flagwash text-flag" : "bg-paper text-ink")}`}
      role="status"
      data-testid="status"
    >
      {connection === "lost" ? "NO PROGRAM" : word}
    </div>
  );
}

function LiveFigure({ label, select, sign = "" }: { label: string; select: (state: LiveState) => string; sign?: string }) {
  return <StripFigure label={label} value={useLive(select)} sign={sign} />;
}

function Distance({ unit }: { unit: Schemas["JobView"]["length_unit"] }) {
  const away = distance(useLive(({ live }) => live?.distance_m), unit);
  return <StripFigure label="to base" value={away.value} sign={away.sign} />;
}

function StripFigure({ label, value, sign = "" }: { label: string; value: string; sign?: string }) {
  return (
    <div className="flex min-w-24 flex-col justify-center border-l border-line px-3">
      <span className="text-sm whitespace-nowrap text-faded">{label}</span>
      <span className="text-2xl leading-6 font-bold whitespace-nowrap">
        {value}
        {sign && <span className="ml-1 text-base font-semibold">{sign}</span>}
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
      className={`ml-auto flex min-w-36 items-center justify-center gap-2 border-l-2 border-line px-3 font-semibold ${stops ? "bg-flagwash text-flag" : ""}`}
      onClick={onPress}
    >
      <MessageSquareWarning size={22} aria-hidden />
      {stops ? counted(stops, "stop") : findings ? counted(findings, "finding") : "Findings"}
    </button>
  );
}

const LOST = "The program does not answer. What it acknowledged is kept; nothing is recorded until it runs again. This page keeps trying.";

/** One line for what is broken between the devices, the program and this page; nothing while all is well. */
function FeedTrouble() {
  const lost = useLive(({ connection }) => connection === "lost");
  const words = useLive(({ live }) =>
    [
      ...([["Base stream", live?.base_feed], ["Base receiver", live?.receiver_feed], ["Rover", live?.rover_feed]] as const).map(
        ([name, feed]) => (feed?.trouble ? `${name}: ${feed.sentence}` : ""),
      ),
      live?.storing_problem ?? "",
    ]
      .filter(Boolean)
      .join("  "),
  );
  if (!lost && !words) return null;
  return (
    <p role="alert" className="border-t-2 border-flag bg-flagwash px-4 py-1 text-base font-semibold text-flag">
      {lost ? LOST : words}
    </p>
  );
}
