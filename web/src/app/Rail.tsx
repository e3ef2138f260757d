import { Dialog, DialogPanel, DialogTitle } from "@headlessui/react";
import { Menu, Moon, Smartphone, Sun, SunMedium, X } from "lucide-react";
import { useState } from "react";
import { Link, NavLink, useLocation } from "react-router";
import type { Schemas } from "../api/client";
import { useSession } from "../api/hand";
import { useSteps } from "../api/queries";
import { StateMark } from "../ui/StateMark";
import { STEPS } from "./steps";
import { applyTheme, currentTheme, THEMES } from "./theme";

/** The steps with their states as the server has them. */
function useStepStates(jobId: string) {
  const steps = useSteps(jobId);
  return STEPS.map((item) => ({ ...item, to: `/job/${jobId}/${item.step}`, state: steps.data?.steps.find((found) => found.step === item.step) }));
}

/** The steps as notches on a stake, each with its state. */
export function Rail({ jobId, onGo }: { jobId: string; onGo: () => void }) {
  return (
    <nav aria-label="Steps" className="row-span-2 flex flex-col border-r-2 border-line bg-paper hand:hidden">
      <Link to="/" className="flex h-16 items-center px-4 text-xl font-bold">
        Open Stake
      </Link>
      <div className="relative flex-1 px-3">
        {/* The stake: a lath with a point, a notch at each step. */}
        <svg className="absolute top-0 left-3 h-full w-6" preserveAspectRatio="none" viewBox="0 0 24 100" aria-hidden="true">
          <path d="M2 0H22V94L12 100L2 94Z" fill="var(--lath)" stroke="var(--grain)" vectorEffect="non-scaling-stroke" />
        </svg>
        <ul className="relative flex flex-col">
          {useStepStates(jobId).map((item) => (
            <li key={item.step}>
              <NavLink
                to={item.to}
                title={item.state?.why}
                onClick={onGo}
                className={({ isActive }) => `flex h-16 items-center gap-3 border-b border-grain/50 ${isActive ? "font-bold" : ""}`}
              >
                {({ isActive }) => (
                  <>
                    <span className="w-6 text-center text-sm font-bold text-[#22262b]">{item.number}</span>
                    <span className={`flex min-w-0 flex-1 flex-col rounded-r px-2 py-1 ${isActive ? "bg-act text-onact" : ""}`}>
                      <span className="text-xl leading-6">{item.name}</span>
                      <span className="flex items-center gap-1 text-sm leading-4">
                        {item.state && !isActive && <StateMark state={item.state.state} size={14} />}
                        {item.state?.state}
                      </span>
                    </span>
                  </>
                )}
              </NavLink>
            </li>
          ))}
        </ul>
      </div>
      <ThemeSwitch />
    </nav>
  );
}

/** In the hand: the steps as a bar of marks at the foot, on a phone one button that opens them as a sheet. */
export function FootSteps({ job, onGo }: { job: Schemas["JobView"]; onGo: () => void }) {
  const [open, setOpen] = useState(false);
  const steps = useStepStates(job.id);
  const { pathname } = useLocation();
  const here = steps.find((item) => item.to === pathname);
  return (
    <>
      <nav aria-label="Steps" className="hidden border-t-2 border-line bg-paper hand:flex small:hidden">
        <ul className="flex min-w-0 flex-1">
          {steps.map((item) => (
            <li key={item.step} className="min-w-0 flex-1">
              <NavLink
                to={item.to}
                onClick={onGo}
                className={({ isActive }) => `flex h-record flex-col items-center justify-center gap-1 border-r border-line ${isActive ? "bg-act font-bold text-onact" : ""}`}
              >
                {({ isActive }) => (
                  <>
                    {item.state && <StateMark state={item.state.state} size={20} plain={isActive} />}
                    <span className="text-base leading-4">{item.name}</span>
                    <span className="sr-only">{item.state?.state}</span>
                  </>
                )}
              </NavLink>
            </li>
          ))}
        </ul>
        <button type="button" aria-label="More" className="flex h-record w-16 items-center justify-center" onClick={() => setOpen(true)}>
          <Menu aria-hidden />
        </button>
      </nav>
      <button
        type="button"
        data-steps
        aria-label={`Steps, here ${here?.name ?? ""}`}
        className="fixed bottom-2 left-3 z-20 hidden size-record flex-col items-center justify-center gap-1 rounded border-2 border-line bg-page text-base leading-4 font-semibold small:flex"
        onClick={() => setOpen(true)}
      >
        <Menu aria-hidden size={24} />
        {here?.name ?? "Steps"}
      </button>
      <AllSteps open={open} setOpen={setOpen} job={job} steps={steps} here={here} onGo={onGo} />
    </>
  );
}

/** Every step with its state, over the page. */
function AllSteps(props: {
  open: boolean;
  setOpen: (value: boolean) => void;
  job: Schemas["JobView"];
  steps: ReturnType<typeof useStepStates>;
  here: ReturnType<typeof useStepStates>[number] | undefined;
  onGo: () => void;
}) {
  const { open, setOpen, job, steps, here, onGo } = props;
  return (
    <Dialog open={open} onClose={setOpen} className="relative z-40">
      <div className="fixed inset-0 bg-ink/40" aria-hidden="true" />
      <div className="fixed inset-x-0 bottom-0 flex max-h-dvh">
        <DialogPanel className="flex w-full flex-col gap-3 overflow-auto border-t-2 border-ink bg-page p-3 text-lg text-ink">
          <div className="flex items-center justify-between gap-3">
            <DialogTitle className="min-w-0 truncate text-2xl font-bold">{job.name}</DialogTitle>
            <button type="button" aria-label="Close" className="flex size-touch shrink-0 items-center justify-center" onClick={() => setOpen(false)}>
              <X aria-hidden />
            </button>
          </div>
          <nav aria-label="All steps">
            <ul className="grid grid-cols-3 gap-2">
              {steps.map((item) => (
                <li key={item.step}>
                  <Link
                    to={item.to}
                    aria-current={item === here ? "page" : undefined}
                    onClick={() => {
                      setOpen(false);
                      onGo();
                    }}
                    className={`flex min-h-20 flex-col items-center justify-center gap-1 rounded border-2 px-1 ${item === here ? "border-act bg-act text-onact" : "border-line"}`}
                  >
                    <span className="flex items-center gap-2 text-xl font-bold">
                      {item.state && <StateMark state={item.state.state} size={20} plain={item === here} />}
                      {item.name}
                    </span>
                    <span className="text-base leading-4">{item.state?.state}</span>
                  </Link>
                </li>
              ))}
            </ul>
          </nav>
          <div className="flex flex-wrap items-center justify-between gap-x-4">
            <Link to="/" className="flex min-h-touch items-center px-2 font-semibold underline">
              All jobs
            </Link>
            <Phones />
            <ThemeSwitch />
          </div>
        </DialogPanel>
      </div>
    </Dialog>
  );
}

/** On the program's own machine the way to let a phone in; on a phone who is signed in, and the way out. */
export function Phones() {
  const session = useSession();
  return (
    <Link to="/phones" className="flex min-h-touch items-center gap-2 px-2 font-semibold underline">
      <Smartphone aria-hidden size={20} /> {session.data?.who || "Phones"}
    </Link>
  );
}

export function ThemeSwitch() {
  const [theme, setTheme] = useState(currentTheme());
  const icons = { paper: SunMedium, sun: Sun, dusk: Moon };
  const Icon = icons[theme];
  const next = THEMES[(THEMES.indexOf(theme) + 1) % THEMES.length] ?? "paper";
  return (
    <button
      type="button"
      className="mx-3 my-2 flex min-h-touch items-center gap-2 px-2 text-base hand:mx-0 hand:my-0"
      onClick={() => {
        applyTheme(next);
        setTheme(next);
      }}
    >
      <Icon size={20} aria-hidden /> {theme} light
    </button>
  );
}
