import { useState } from "react";
import { useCrews, useSettleCrews } from "../../api/book";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useWho } from "../../api/hand";
import { clock, day } from "../../lib/format";
import { Button, Note, TextField } from "../../ui/controls";

/** What two crews put in place of one value, apart from each other: one holds, by a person's word. */
export function CrewsDiffer({ job }: { job: Schemas["JobView"] }) {
  const crews = useCrews(job.id);
  const settle = useSettleCrews(job.id);
  const [who, setWho] = useState(useWho());
  const [reason, setReason] = useState("");
  const differ = crews.data ?? [];
  if (differ.length === 0) return null;
  const problem = problemOf(settle.error);
  return (
    <section aria-label="Two crews differ" className="mb-4 flex flex-col gap-3 rounded border-4 border-flag bg-page p-4">
      <h2 className="text-xl font-bold">Two crews replaced one value. Which one holds?</h2>
      <div className="grid grid-cols-1 lg:grid-cols-[16rem_1fr] gap-4">
        <TextField label="Settled by" name="settled_by" value={who} onChange={setWho} placeholder="name" problem={problem?.field === "who" ? problem.sentence : null} />
        <TextField label="Why" name="settled_why" value={reason} onChange={setReason} placeholder="both crews asked, read again" />
      </div>
      {problem && problem.field !== "who" && <Note tone="flag">{sentenceOf(problem)}</Note>}
      {differ.map((item) => (
        <div key={item.id}>
          <h3 className="font-semibold">{item.what}</h3>
          <ul className="flex flex-col gap-2">
            {item.values.map((value, n) => (
              <li key={value.id} className="flex items-center justify-between gap-4 rounded border-2 border-line px-4 py-1">
                <span className="min-w-0">
                  <b className="text-xl">{value.words}</b>
                  <span className="block text-base text-faded">
                    {day(value.at_s, job.time_zone)} {clock(value.at_s, job.time_zone).slice(0, 5)}
                    {value.reason && `: ${value.reason}`}
                    {n === 0 && ". Used until it is settled."}
                  </span>
                </span>
                <Button disabled={settle.isPending} onClick={() => settle.mutate({ id: item.id, value_id: value.id, who, reason })}>
                  This one holds
                </Button>
              </li>
            ))}
          </ul>
        </div>
      ))}
    </section>
  );
}
