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
    </Note>
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
