import { Moon, MessageSquareWarning, Sun, SunMedium, X } from "lucide-react";
import { Suspense, useState } from "react";
import { Link, NavLink, Outlet, useOutletContext, useParams } from "react-router";
import { sentenceOf, type Schemas } from "../api/client";
import { useLiveStream, type LiveState } from "../api/live";
import { useBase, useChecks, useJob, useLink, useSteps, useSystemView, useWatch } from "../api/queries";
import { distance, fixed, length, UNIT_SIGN } from "../lib/format";
import { Note } from "../ui/controls";
import { FindingList } from "../ui/findings";
import { StateMark } from "../ui/StateMark";
import { STEPS } from "./steps";
import { applyTheme, currentTheme, THEMES } from "./theme";

interface ShellValue {
  job: Schemas["Job"];
  state: LiveState;
}

export const useShell = () => useOutletContext<ShellValue>();

export function Shell() {
  const { jobId = "" } = useParams();
  const job = useJob(jobId);
  const stream = useLiveStream(jobId);
  const watch = useWatch(jobId);
  const [drawer, setDrawer] = useState(false);
  const state = { ...stream, live: stream.connection === "lost" ? null : (stream.live ?? watch.data?.live ?? null) };
  const findings = useOpenFindings(jobId);

  if (job.isPending) return <p className="p-8 text-xl">Opening the job.</p>;
  if (job.isError)
    return (
      <div className="p-8">
        <Note tone="flag">{sentenceOf(job.error)}</Note>
        <Link to="/" className="mt-4 inline-block text-xl underline">
          All jobs
        </Link>
      </div>
    );
  return (
    <div className="grid h-dvh grid-cols-[10.5rem_1fr] grid-rows-[auto_1fr] text-lg">
      <Rail jobId={jobId} onGo={() => setDrawer(false)} />
      <Strip job={job.data} state={state} findings={findings} onDrawer={() => setDrawer(!drawer)} drawer={drawer} />
      <div className="relative flex min-h-0 overflow-hidden">
        <main className="flex min-w-0 flex-1 flex-col overflow-hidden">
          <Suspense fallback={<p className="p-6">Opening the page.</p>}>
            <Outlet context={{ job: job.data, state } satisfies ShellValue} />
          </Suspense>
        </main>
        {drawer && <Drawer findings={findings} onClose={() => setDrawer(false)} />}
      </div>
    </div>
  );
}

const AS_THE_PROFILES_SAY = { satellites: "", signals: 2, duty_limit: "" };

/** What the system, the link, the base and the newest check of each mark say. */
function useOpenFindings(jobId: string): Schemas["Finding"][] {
  const system = useSystemView(jobId);
  const link = useLink(jobId, AS_THE_PROFILES_SAY);
  const base = useBase(jobId);
  const checks = useChecks(jobId);
  const linked = [...(link.data?.pairs ?? []).flatMap((pair) => pair.findings), ...(link.data?.air?.findings ?? [])];
  const newest = new Map<string, Schemas["Check"]>();
  for (const check of checks.data ?? [])
    if (check.occupation_id === base.data?.occupation?.id && !newest.has(check.mark_id)) newest.set(check.mark_id, check);
  const all = [...(system.data?.findings ?? []), ...linked, ...ofBase(base.data), ...[...newest.values()].flatMap((check) => check.findings)];
  const order = { stop: 0, look: 1, note: 2 };
  return all.sort((a, b) => order[a.severity] - order[b.severity]);
}

/** What the base says: on the air, of its height, and while it is set up of its coordinate. */
function ofBase(base: Schemas["BaseView"] | undefined): Schemas["Finding"][] {
  return base ? [...base.findings, ...base.heights.findings, ...base.heights.closing_findings, ...(base.setup?.findings ?? [])] : [];
}

function Rail({ jobId, onGo }: { jobId: string; onGo: () => void }) {
  const stops = ofBase(useBase(jobId).data).filter((item) => item.severity === "stop");
  const steps = useSteps(jobId, stops.map((item) => item.code).join());
  return (
    <nav aria-label="Steps" className="row-span-2 flex flex-col border-r-2 border-line bg-paper">
      <Link to="/" className="flex h-16 items-center px-4 text-xl font-bold">
        Open Stake
      </Link>
      <div className="relative flex-1 px-3">
        {/* The stake: a lath with a point, a notch at each step. */}
        <svg className="absolute top-0 left-3 h-full w-6" preserveAspectRatio="none" viewBox="0 0 24 100" aria-hidden="true">
          <path d="M2 0H22V94L12 100L2 94Z" fill="var(--lath)" stroke="var(--grain)" vectorEffect="non-scaling-stroke" />
        </svg>
        <ul className="relative flex flex-col">
          {STEPS.map((item) => {
            const state = steps.data?.find((found) => found.step === item.step);
            return (
              <li key={item.step}>
                <NavLink
                  to={`/job/${jobId}/${item.step}`}
                  title={state?.why}
                  onClick={onGo}
                  className={({ isActive }) =>
                    `flex h-[5.25rem] items-center gap-3 border-b border-grain/50 ${isActive ? "font-bold" : ""}`
                  }
                >
                  {({ isActive }) => (
                    <>
                      <span className="w-6 text-center text-sm font-bold text-[#22262b]">{item.number}</span>
                      <span
                        className={`flex min-w-0 flex-1 flex-col rounded-r px-2 py-1 ${isActive ? "bg-act text-onact" : ""}`}
                      >
                        <span className="text-xl leading-6">{item.name}</span>
                        <span className="flex items-center gap-1 text-sm leading-4">
                          {state && !isActive && <StateMark state={state.state} size={14} />}
                          {state?.state}
                        </span>
                      </span>
                    </>
                  )}
                </NavLink>
              </li>
            );
          })}
        </ul>
      </div>
      <ThemeSwitch />
    </nav>
  );
}

function ThemeSwitch() {
  const [theme, setTheme] = useState(currentTheme());
  const icons = { paper: SunMedium, sun: Sun, dusk: Moon };
  const Icon = icons[theme];
  const next = THEMES[(THEMES.indexOf(theme) + 1) % THEMES.length] ?? "paper";
  return (
    <button
      type="button"
      className="mx-3 my-2 flex min-h-touch items-center gap-2 px-2 text-base"
      onClick={() => {
        applyTheme(next);
        setTheme(next);
      }}
    >
      <Icon size={20} aria-hidden /> {theme} light
    </button>
  );
}

const STATUS_TONE: Record<string, string> = {
  fixed: "bg-checked text-page",
  float: "bg-lath text-[#22262b]",
  dgps: "bg-lath text-[#22262b]",
  single: "bg-lath text-[#22262b]",
};

function Strip(props: {
  job: Schemas["Job"];
  state: LiveState;
  findings: Schemas["Finding"][];
  drawer: boolean;
  onDrawer: () => void;
}) {
  const { job, state, findings } = props;
  const unit = job.length_unit;
  const live = state.live;
  const away = distance(live?.distance_m, unit);
  const silent = state.connection === "lost" || (live !== null && live.rover_feed !== null && live.status === "none");
  const stops = findings.filter((finding) => finding.severity === "stop").length;
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
          </span>
        </div>
        <div
          className={`flex w-44 items-center justify-center font-bold ${live ? "text-2xl" : "text-xl"} ${STATUS_TONE[live?.status ?? ""] ?? (silent ? "bg-flagwash text-flag" : "bg-paper text-ink")}`}
          role="status"
          data-testid="status"
        >
          {state.connection === "lost" ? "NO PROGRAM" : (live?.status_word ?? "NOT RUNNING")}
        </div>
        <StripFigure label="age" value={fixed(live?.age_s, 1)} sign="s" />
        <StripFigure label="satellites" value={live?.satellites?.toString() ?? "–"} />
        <StripFigure label="H 95 %, claimed" value={length(live?.horizontal_95_m, unit)} sign={UNIT_SIGN[unit]} />
        <StripFigure label="V 95 %, claimed" value={length(live?.vertical_95_m, unit)} sign={UNIT_SIGN[unit]} />
        <StripFigure label="to base" value={away.value} sign={away.sign} />
        <button
          type="button"
          aria-expanded={props.drawer}
          className={`ml-auto flex min-w-36 items-center justify-center gap-2 border-l-2 border-line px-3 font-semibold ${stops ? "bg-flagwash text-flag" : ""}`}
          onClick={props.onDrawer}
        >
          <MessageSquareWarning size={22} aria-hidden />
          {stops ? `${stops} stop${stops > 1 ? "s" : ""}` : findings.length ? `${findings.length} finding${findings.length > 1 ? "s" : ""}` : "Findings"}
        </button>
      </div>
      <FeedTrouble state={state} />
    </header>
  );
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

/** One line for what is broken between the devices, the program and this page; nothing while all is well. */
function FeedTrouble({ state }: { state: LiveState }) {
  const lines: string[] = [];
  if (state.connection === "lost") lines.push("The program does not answer. What it acknowledged is kept; nothing is recorded until it runs again. This page keeps trying.");
  const { base_feed, receiver_feed, rover_feed, storing_problem } = state.live ?? {};
  for (const [name, feed] of [["Base stream", base_feed], ["Base receiver", receiver_feed], ["Rover", rover_feed]] as const)
    if (feed && feed.state !== "receiving" && feed.state !== "connecting") lines.push(`${name}: ${feed.sentence}`);
  if (storing_problem) lines.push(storing_problem);
  if (!lines.length) return null;
  return (
    <p role="alert" className="border-t-2 border-flag bg-flagwash px-4 py-1 text-base font-semibold text-flag">
      {lines.join("  ")}
    </p>
  );
}

function Drawer({ findings, onClose }: { findings: Schemas["Finding"][]; onClose: () => void }) {
  return (
    <aside aria-label="Findings" className="absolute top-0 right-0 bottom-24 z-20 flex w-[26rem] flex-col overflow-auto border-b-2 border-l-2 border-ink bg-page p-4">
      <div className="mb-2 flex items-center justify-between">
        <h2 className="text-2xl font-bold">Findings</h2>
        <button type="button" aria-label="Close" className="flex size-12 items-center justify-center" onClick={onClose}>
          <X aria-hidden />
        </button>
      </div>
      {findings.length ? (
        <FindingList findings={findings} />
      ) : (
        <p className="text-faded">Nothing is contradicted so far. What is not checked is not thereby right.</p>
      )}
    </aside>
  );
}
