import { Moon, Sun, SunMedium } from "lucide-react";
import { useState } from "react";
import { Link, NavLink } from "react-router";
import { useSteps } from "../api/queries";
import { StateMark } from "../ui/StateMark";
import { STEPS } from "./steps";
import { applyTheme, currentTheme, THEMES } from "./theme";

/** The steps as notches on a stake, each with its state as the server has it. */
export function Rail({ jobId, onGo }: { jobId: string; onGo: () => void }) {
  const steps = useSteps(jobId);
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
            const state = steps.data?.steps.find((found) => found.step === item.step);
            return (
              <li key={item.step}>
                <NavLink
                  to={`/job/${jobId}/${item.step}`}
                  title={state?.why}
                  onClick={onGo}
                  className={({ isActive }) =>
                    `flex h-[4.5rem] items-center gap-3 border-b border-grain/50 ${isActive ? "font-bold" : ""}`
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
