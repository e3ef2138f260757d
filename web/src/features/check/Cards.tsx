import type { Schemas } from "../../api/client";
import { clock, length, signed, UNIT_SIGN } from "../../lib/format";
import { StateMark } from "../../ui/StateMark";

/** All checks as cards, newest first; one is shown large. */
export function Cards(props: { job: Schemas["JobView"]; checks: Schemas["Check"][]; shownId: string | null; onShow: (id: string) => void }) {
  const unit = props.job.length_unit;
  return (
    <ul className="grid grid-cols-1 sm:grid-cols-2 gap-3" aria-label="All checks">
      {props.checks.map((check) => (
        <li key={check.id}>
          <button
            type="button"
            aria-pressed={check.id === props.shownId}
            onClick={() => props.onShow(check.id)}
            className={`flex w-full items-center gap-3 rounded border-2 bg-page px-3 py-2 text-left ${check.id === props.shownId ? "border-ink" : "border-line"}`}
          >
            <StateMark state={check.state} />
            <span className="min-w-0">
              <span className="block truncate font-bold">
                {check.mark_name} <span className="font-normal text-faded">{clock(check.created_s, props.job.time_zone)}</span>
              </span>
              {!check.of_this_base && <span className="block truncate text-base text-faded">earlier base</span>}
              <span className="block truncate text-base">
                H {length(check.horizontal_m, unit)}, up {signed(check.up_m, unit)} {UNIT_SIGN[unit]}
              </span>
            </span>
          </button>
        </li>
      ))}
    </ul>
  );
}
