import { Note } from "./controls";

export interface FindingText {
  code: string;
  severity: "stop" | "look" | "note";
  sentence: string;
  cause: string;
  action: string;
  source: string;
}

const WORDS = { stop: "Stop", look: "Look", note: "Note" };

/** One finding: what, why, what next, on whose authority. */
export function FindingNote({ finding, tone }: { finding: FindingText; tone?: "checked" }) {
  return (
    <Note tone={finding.severity === "stop" ? "flag" : (tone ?? "plain")}>
      <p className={`leading-6 font-bold ${finding.severity === "stop" ? "text-flag" : ""}`}>
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

export function FindingList({ findings }: { findings: FindingText[] }) {
  return (
    <div className="flex flex-col gap-3">
      {findings.map((finding, place) => (
        <FindingNote key={`${finding.code} ${place}`} finding={finding} />
      ))}
    </div>
  );
}
