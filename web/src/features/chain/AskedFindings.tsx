import { useState } from "react";
import { useAnswerFinding } from "../../api/chain";
import { problemOf, type Schemas } from "../../api/client";
import { useWho } from "../../api/hand";
import { clock, day } from "../../lib/format";
import { Button, Note, TextField } from "../../ui/controls";
import { FindingNote } from "../../ui/findings";

/** What is open, the worst first, each with what was answered to it. */
export function AskedFindings({ job, chain }: { job: Schemas["JobView"]; chain: Schemas["ChainView"] }) {
  if (chain.findings.length === 0) return <Note>Nothing is contradicted so far. What is not checked is not thereby right.</Note>;
  return (
    <div className="flex flex-col gap-4">
      {chain.findings.map((item) => (
        <Asked key={`${item.finding.code} ${item.finding.sentence}`} job={job} item={item} offered={chain.answers_offered} />
      ))}
    </div>
  );
}

function Asked(props: { job: Schemas["JobView"]; item: Schemas["FindingAsked"]; offered: readonly string[] }) {
  const { job, item } = props;
  const answer = useAnswerFinding(job.id);
  const [words, setWords] = useState<string | null>(null);
  const [who, setWho] = useState(useWho());
  const problem = problemOf(answer.error);
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  return (
    <article>
      <FindingNote finding={item.finding} />
      {item.answers.map((said) => (
        <p key={said.at_s} className="ml-6 leading-6">
          <b>{said.who}</b>, {day(said.at_s, job.time_zone)} {clock(said.at_s, job.time_zone).slice(0, 5)}: {said.words}
        </p>
      ))}
      {words === null ? (
        <div className="mt-1 ml-6 flex flex-wrap gap-2">
          {props.offered.map((text) => (
            <Button key={text} onClick={() => setWords(text)}>
              {text}
            </Button>
          ))}
        </div>
      ) : (
        <div className="mt-1 ml-6 flex flex-wrap items-end gap-3">
          <div className="min-w-64 flex-1">
            <TextField label="Answer" name="answer" value={words} onChange={setWords} problem={at("words")} autoFocus />
          </div>
          <div className="w-32">
            <TextField label="Who" name="who" value={who} onChange={setWho} placeholder="initials" problem={at("who")} />
          </div>
          <Button
            kind="primary"
            disabled={answer.isPending}
            onClick={() => answer.mutate({ code: item.finding.code, sentence: item.finding.sentence, words, who }, { onSuccess: () => setWords(null) })}
          >
            Keep
          </Button>
          <Button onClick={() => setWords(null)}>
            Back
          </Button>
        </div>
      )}
    </article>
  );
}
