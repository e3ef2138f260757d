import { useEffect, useRef, type ReactNode } from "react";
import { StateMark, type State } from "./StateMark";

export interface Step<K extends string = string> {
  key: K;
  title: string;
  state: State;
  /** What stands in one line while it is closed. */
  summary: ReactNode;
}

/** Steps in working order, one open at a time; those that are closed show what they hold in one line. */
export function Steps<K extends string>(props: { steps: readonly Step<K>[]; open: K; onOpen: (key: K) => void; children: ReactNode }) {
  const list = useRef<HTMLOListElement>(null);
  const before = useRef(props.open);
  // What stood open above is closed and moves what was pressed out of sight: the step that opens comes to the top.
  useEffect(() => {
    if (before.current === props.open) return;
    before.current = props.open;
    list.current?.querySelector("[aria-expanded=true]")?.scrollIntoView({ block: "start" });
  }, [props.open]);
  return (
    <ol ref={list} className="flex min-w-0 flex-col">
      {props.steps.map((step) => {
        const open = step.key === props.open;
        return (
          <li key={step.key} className="min-w-0 border-l-8 border-lath pb-1 pl-3 small:pl-1">
            <button
              type="button"
              aria-expanded={open}
              onClick={() => props.onOpen(step.key)}
              className={`flex min-h-touch scroll-mt-2 w-full items-center gap-3 rounded px-2 text-left small:gap-2 ${open ? "bg-lath/35" : ""}`}
            >
              <StateMark state={step.state} size={20} />
              <span className="w-36 shrink-0 text-xl small:w-26 small:text-lg font-bold">{step.title}</span>
              <span className="min-w-0 flex-1 truncate text-faded">
                <span className="font-semibold">{step.state}</span>
                {step.summary && <>, {step.summary}</>}
              </span>
            </button>
            {open && <div className="flex flex-col gap-4 px-2 pt-3 pb-4">{props.children}</div>}
          </li>
        );
      })}
    </ol>
  );
}
