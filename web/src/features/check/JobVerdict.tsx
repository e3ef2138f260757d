import { CircleCheck, OctagonX, TriangleAlert } from "lucide-react";
import type { Schemas } from "../../api/client";

const LOOK = {
  go: { icon: CircleCheck, tone: "border-checked bg-checkedwash text-checked" },
  "go with care": { icon: TriangleAlert, tone: "border-ink bg-page text-ink" },
  stop: { icon: OctagonX, tone: "border-flag bg-flagwash text-flag" },
};

/** Go, go with care or stop: the word big, its first reasons under it. */
export function VerdictLine({ verdict, most = 3 }: { verdict: Schemas["Verdict"]; most?: number }) {
  const { icon: Icon, tone } = LOOK[verdict.word];
  return (
    <div className={`flex items-start gap-4 rounded border-2 border-l-8 px-4 py-2 ${tone}`} data-testid="job-verdict">
      <Icon aria-hidden size={40} className="mt-1 shrink-0" />
      <div className="min-w-0">
        <p className="text-4xl leading-tight font-bold uppercase">{verdict.word}</p>
        <ul className="text-ink">
          {verdict.reasons.slice(0, most).map((reason) => (
            <li key={reason} className="leading-6">
              {reason}
            </li>
          ))}
          {verdict.reasons.length > most && <li className="text-faded">and {verdict.reasons.length - most} more, on the checks themselves</li>}
        </ul>
      </div>
    </div>
  );
}
