import { Square, SquareCheck } from "lucide-react";

/** One thing to look at, ticked off: what, why, and when it was done. */
export function TickRow(props: { what: string; why?: string; done: boolean; at?: string; onTick: () => void }) {
  const Icon = props.done ? SquareCheck : Square;
  return (
    <button
      type="button"
      role="checkbox"
      aria-checked={props.done}
      onClick={props.onTick}
      className="flex min-h-touch w-full items-center gap-3 border-b border-line py-1 text-left"
    >
      <Icon aria-hidden className={`shrink-0 ${props.done ? "text-checked" : ""}`} />
      <span className="min-w-0 flex-1">
        <span className="block leading-5 font-semibold">{props.what}</span>
        {props.why && <span className="block text-base leading-5 text-faded">{props.why}</span>}
      </span>
      {props.at && <time className="text-base text-faded">{props.at}</time>}
    </button>
  );
}
