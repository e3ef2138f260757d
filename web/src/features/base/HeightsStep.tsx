import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useWho } from "../../api/hand";
import { useCorrectHeight, useHeights, useReadBaseHeight } from "../../api/queries";
import { clock, length, millimetres, UNIT_SIGN } from "../../lib/format";
import { CardTable } from "../../ui/CardTable";
import { Button, Note, TextField } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { NOTHING_TYPED, TypedFields, useTyped, type Typed } from "./TypedHeight";

type Moment = Schemas["NewReading"]["moment"] & string;

/** One more reading, before the session or after it: typed, read, added. */
export function useReading(jobId: string, moment: Moment, heights: Schemas["BaseHeights"]) {
  const [raw, setTyped] = useState<Typed>(NOTHING_TYPED);
  const features = useHeights(jobId).data?.base_features ?? [];
  // Another antenna of the kit may not have what was measured to before.
  const typed = features.some((item) => item.name === raw.feature) ? raw : { ...raw, feature: features[0]?.name ?? raw.feature };
  const [who, setWho] = useState<string | null>(null);
  const read = useTyped(jobId, typed);
  const add = useReadBaseHeight(jobId);
  const signedIn = useWho();
  const reader = who ?? (signedIn || heights.readings.at(-1)?.who || "");
  const send = (again = false) =>
    add.mutate({ ...typed, who: reader, moment, again }, { onSuccess: () => setTyped({ ...typed, reading: "" }) });
  return { typed, setTyped, who: reader, setWho, ...read, add, send };
}

export type Reading = ReturnType<typeof useReading>;

export function ReadingFields({ job, reading }: { job: Schemas["JobView"]; reading: Reading }) {
  return (
    <form
      className="flex flex-col gap-3"
      onSubmit={(event) => {
        event.preventDefault();
        if (reading.height && !reading.add.isPending) reading.send();
      }}
    >
      <TypedFields job={job} typed={reading.typed} onChange={reading.setTyped} problem={reading.problem} />
      <div className="grid grid-cols-1 sm:grid-cols-[13rem_1fr] items-end gap-4">
        <TextField label="Read by" name="who" value={reading.who} onChange={reading.setWho} placeholder="initials" />
        <button
          type="submit"
          disabled={!reading.height || reading.add.isPending}
          className="h-touch justify-self-start rounded border-2 border-line bg-page px-5 text-lg font-semibold disabled:opacity-45"
        >
          Add the reading
        </button>
      </div>
      {reading.add.isError && (
        <Note tone="flag">
          <div className="flex items-center justify-between gap-4">
            <span>{sentenceOf(reading.add.error)}</span>
            {reading.add.error instanceof Problem && reading.add.error.field === "again" && (
              <Button disabled={reading.add.isPending} onClick={() => reading.send(true)}>
                A second look: add it
              </Button>
            )}
          </div>
        </Note>
      )}
    </form>
  );
}

/** The readings of one moment with what they are from their mean; each can be corrected or set aside. */
export function ReadingTable({ job, heights, moment }: { job: Schemas["JobView"]; heights: Schemas["BaseHeights"]; moment: Moment }) {
  const [open, setOpen] = useState<string | null>(null);
  const rows = heights.readings.filter((item) => item.moment === moment);
  const unit = job.length_unit;
  if (!rows.length) return null;
  return (
    <CardTable className="w-full">
      <thead>
        <tr className="text-left text-base text-faded">
          <th className="font-normal">{moment === "before" ? "before the session" : "after the session"}</th>
          <th className="text-right font-normal">ARP ({UNIT_SIGN[unit]})</th>
          <th className="text-right font-normal">from the mean</th>
          <th />
        </tr>
      </thead>
      <tbody>
        {rows.map((row) => (
          <ReadingRow key={row.id} job={job} row={row} open={open === row.id} onOpen={(on) => setOpen(on ? row.id : null)} />
        ))}
      </tbody>
    </CardTable>
  );
}

function ReadingRow(props: { job: Schemas["JobView"]; row: Schemas["ReadingView"]; open: boolean; onOpen: (open: boolean) => void }) {
  const { job, row } = props;
  return (
    <>
      <tr className={`border-t border-line ${row.set_aside ? "text-faded line-through" : ""}`}>
        <td className="py-1">
          <span className="text-xl font-bold">{row.text}</span>
          <span className="ml-2 text-base text-faded">
            {clock(row.created_s, job.time_zone).slice(0, 5)}
            {row.who && ` ${row.who}`}
            {row.corrected && !row.set_aside && ", corrected"}
          </span>
          <span className="block text-base leading-5 text-faded">to: {row.feature_label}</span>
        </td>
        <td className="text-right font-bold">{length(row.arp_height_m, job.length_unit)}</td>
        <td className="text-right">{row.set_aside ? "set aside" : row.from_mean_m === null ? "–" : millimetres(row.from_mean_m)}</td>
        <td className="w-32 text-right">
          <Button className="px-3! text-base!" aria-expanded={props.open} onClick={() => props.onOpen(!props.open)}>
            {row.set_aside ? "Use again" : "Correct"}
          </Button>
        </td>
      </tr>
      {props.open && (
        <tr>
          <td colSpan={4} className="pb-3">
            <CorrectReading job={job} row={row} onClose={() => props.onOpen(false)} />
          </td>
        </tr>
      )}
    </>
  );
}

function CorrectReading(props: { job: Schemas["JobView"]; row: Schemas["ReadingView"]; onClose: () => void }) {
  const { job, row } = props;
  const [typed, setTyped] = useState<Typed>({ reading: row.set_aside ? row.text : "", feature: row.feature });
  const [reason, setReason] = useState("");
  const correct = useCorrectHeight(job.id);
  const { height, problem } = useTyped(job.id, typed);
  const send = (body: Omit<Schemas["CorrectHeight"], "replaces_id" | "reason">) =>
    correct.mutate({ replaces_id: row.id, reason, ...body }, { onSuccess: props.onClose });
  const idle = reason.trim() !== "" && !correct.isPending;
  return (
    <section aria-label="Correct the height" className="flex flex-col gap-3 rounded border-2 border-ink bg-page p-4">
      <TypedFields job={job} typed={typed} onChange={setTyped} problem={problem} />
      <TextField label="Why" name="reason" value={reason} onChange={setReason} placeholder="measured again, tape misread" />
      <p className="text-base leading-5 text-faded">
        Every point from this base follows at once. What was read stays in the Book, and a further correction brings it back. A real
        receiver keeps sending the old height until the new one is typed into it.
      </p>
      {correct.isError && <Note tone="flag">{sentenceOf(correct.error)}</Note>}
      <div className="flex gap-3">
        <Button onClick={props.onClose}>Back</Button>
        {!row.set_aside && (
          <Button kind="danger" disabled={!idle} onClick={() => send({ reading: null, set_aside: true })}>
            Set aside
          </Button>
        )}
        <Button kind="primary" disabled={!height || !idle} onClick={() => send({ ...typed, set_aside: false })}>
          {row.set_aside ? "Use it again" : height ? `Put ${height.text} in its place` : "Put it in its place"}
        </Button>
      </div>
    </section>
  );
}

/** Before the session: any number of readings, and what they say of each other. */
export function OpeningHeight({ job, heights, reading }: { job: Schemas["JobView"]; heights: Schemas["BaseHeights"]; reading: Reading }) {
  return (
    <>
      <ReadingFields job={job} reading={reading} />
      <ReadingTable job={job} heights={heights} moment="before" />
      <FindingList findings={heights.findings} />
    </>
  );
}

/** After the session: the same height once more, against the one before. */
export function ClosingHeight({ job, heights, reading }: { job: Schemas["JobView"]; heights: Schemas["BaseHeights"]; reading: Reading }) {
  const { opening, closing } = heights;
  return (
    <>
      {opening && closing ? (
        <p className="text-xl">
          Opening <span className="font-bold">{opening.text}</span>, closing <span className="font-bold">{closing.text}</span>.
        </p>
      ) : (
        <p className="text-faded">Measure the height once more before the tripod is touched: it tells whether it sank or was knocked.</p>
      )}
      <ReadingFields job={job} reading={reading} />
      <ReadingTable job={job} heights={heights} moment="after" />
      <FindingList findings={heights.closing_findings} />
    </>
  );
}
