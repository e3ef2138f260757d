import { useState } from "react";
import { useDays, useDaySheet, useSignDay } from "../../api/book";
import { problemOf, sentenceOf, type Problem, type Schemas } from "../../api/client";
import { useWho } from "../../api/hand";
import { clock, counted, day as dayOf } from "../../lib/format";
import { Button, Note, TextField } from "../../ui/controls";
import { Page } from "../../ui/Page";
import type { ViewProps } from "../../ui/view";

/** Day sheets, and their sign-off: a copy is frozen, and what comes later says so. */
export function DaysView({ job, tabs }: ViewProps) {
  const days = useDays(job.id);
  const [picked, setPicked] = useState("");
  const shown = days.data?.find((item) => item.day === picked) ?? days.data?.[0] ?? null;
  const sheet = useDaySheet(job.id, shown?.day ?? "");
  const sign = useSignDay(job.id);
  const [who, setWho] = useState(useWho());
  const [words, setWords] = useState("");
  const problem = problemOf(sign.error);
  return (
    <Page
      title="Days"
      why="A signature freezes a copy of the day; its hash stands in the Book. It is the signer's judgement, not the program's."
      tabs={tabs}
      aside={
        shown && (
          <SignFields who={who} setWho={setWho} problem={problem} words={words} setWords={setWords} sign={sign} />
        )
      }
      action={
        shown && (
          <Button kind="primary" large disabled={sign.isPending} onClick={() => sign.mutate({ day: shown.day, who, words }, { onSuccess: () => setWords("") })}>
            Sign the day off
          </Button>
        )
      }
    >
      {days.isError && <Note tone="flag">{sentenceOf(days.error)}</Note>}
      {days.data?.length === 0 && <Note>Nothing is written yet.</Note>}
      <div className="grid grid-cols-1 lg:grid-cols-[17rem_minmax(0,1fr)] gap-6">
        <DayList days={days} shown={shown} setPicked={setPicked} />
        <div className="flex min-w-0 flex-col gap-4">
          {shown?.signed.map((item) => (
            <Signature key={item.id} item={item} job={job} />
          ))}
          {shown && (
            <a className="underline" href={`/api/jobs/${job.id}/reports/day.pdf?day=${shown.day}`} target="_blank" rel="noreferrer">
              Print this day
            </a>
          )}
          {sheet.isError && <Note tone="flag">{sentenceOf(sheet.error)}</Note>}
          {sheet.data?.parts.map((part) => (
            <section key={part.title}>
              <h2 className="border-b-2 border-line text-xl font-bold">{part.title}</h2>
              {part.lines.map((line, n) => (
                <p key={`${part.title} ${n}`} className="border-b border-line py-1 leading-6">
                  {line}
                </p>
              ))}
            </section>
          ))}
        </div>
      </div>
    </Page>
  );
}

/** Who signs, and in what words. */
function SignFields(props: {
  who: string;
  setWho: (value: string) => void;
  problem: Problem | null;
  words: string;
  setWords: (value: string) => void;
  sign: ReturnType<typeof useSignDay>;
}) {
  const { who, setWho, problem, words, setWords, sign } = props;
  return (
    <div className="flex items-end gap-3">
      <div className="w-40">
        <TextField label="Signed by" name="signer" value={who} onChange={setWho} placeholder="name" problem={problem?.field === "who" ? problem.sentence : null} />
      </div>
      <div className="min-w-0 flex-1">
        <TextField label="In words" name="sign_words" value={words} onChange={setWords} placeholder="as measured, checks in order" />
      </div>
      {sign.isError && !problem?.field && <p className="font-semibold text-flag">{sentenceOf(sign.error)}</p>}
    </div>
  );
}

/** Who signed the day, and whether the frozen copy is whole. */
function Signature({ item, job }: { item: Schemas["Signed"]; job: Schemas["JobView"] }) {
  return (
    <Note tone={item.whole ? "checked" : "flag"}>
      <p className="font-bold">
        Signed off by {item.who}, {dayOf(item.at_s, job.time_zone)} {clock(item.at_s, job.time_zone).slice(0, 5)}
        {item.words && `: ${item.words}`}
      </p>
      <p className="text-base">
        {item.whole ? "The frozen copy is whole" : "The frozen copy is not the one that was signed"}, SHA-256 {item.sha256.slice(0, 16)}.{" "}
        <a className="underline" href={`/api/jobs/${job.id}/book/signed/${item.id}`} download>
          The copy
        </a>
      </p>
    </Note>
  );
}

/** The days, newest first, with who signed each. */
function DayList({ days, shown, setPicked }: { days: ReturnType<typeof useDays>; shown: Schemas["Day"] | null; setPicked: (value: string) => void }) {
  return (
    <ul className="flex flex-col gap-2" aria-label="Days">
      {days.data?.map((item) => (
        <li key={item.day}>
          <button
            type="button"
            aria-pressed={item.day === shown?.day}
            className={`w-full rounded border-2 bg-page px-3 py-2 text-left ${item.day === shown?.day ? "border-ink" : "border-line"}`}
            onClick={() => setPicked(item.day)}
          >
            <b>{item.words}</b>
            <span className="block text-base">
              {counted(item.lines, "line")}
              {item.signed.length > 0 && `, signed by ${item.signed[item.signed.length - 1]?.who}`}
            </span>
            {item.after > 0 && <span className="block text-base font-bold text-flag">{counted(item.after, "line")} after sign-off</span>}
          </button>
        </li>
      ))}
    </ul>
  );
}
