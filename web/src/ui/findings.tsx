import type { Schemas } from "../api/client";
import { Note } from "./controls";

const WORDS = { stop: "Stop", look: "Look", note: "Note" };

/** One finding: what, why, what next, on whose authority. */
export function FindingNote({ finding, tone }: { finding: Schemas["Finding"]; tone?: "checked" }) {
  return (
    <Note tone={finding.is_stop ? "flag" : (tone ?? "plain")}>
      <p className={`leading-6 font-bold ${finding.is_stop ? "text-flag" : ""}`}>
        {WORDS[finding.severity]}: {finding.sentence}
      </p>
      <FindingBody finding={finding} />
    </Note>
  );
}

function FindingBody({ finding }: { finding: Schemas["Finding"] }) {
  return (
    <>
      <p className="mt-1 leading-6">
        <span className="font-semibold">{finding.severity === "note" ? "Why: " : "Likely: "}</span>
        {finding.cause}
      </p>
      <p className="mt-1 leading-6">
        <span className="font-semibold">Next: </span>
        {finding.action}
      </p>
      <p className="mt-1 text-sm text-faded">
        {finding.code} ({finding.source})
      </p>
    </>
  );
}

/** Findings as one line each, opened by a press: where a table says the rest. */
export function FindingLines({ findings }: { findings: Schemas["Finding"][] }) {
  if (findings.length === 0) return null;
  return (
    <div className="flex flex-col gap-1">
      {findings.map((finding, place) => (
        <details key={`${finding.code} ${place}`} className="rounded border-2 border-line bg-page">
          <summary className="min-h-touch cursor-pointer content-center truncate px-3 font-semibold">
            {WORDS[finding.severity]}: {finding.sentence}
          </summary>
          <div className="px-3 pb-3">
            <p className="leading-6">{finding.sentence}</p>
            <FindingBody finding={finding} />
          </div>
        </details>
      ))}
    </div>
  );
}

export function FindingList({ findings }: { findings: Schemas["Finding"][] }) {
  return (
    <div className="flex flex-col gap-3">
      {findings.map((finding, place) => (
        <FindingNote key={`${finding.code} ${place}`} finding={finding} />
      ))}
    </div>
  );
}
