import { useDeferredValue, useState } from "react";
import { useBook, useBookLine, useDays, type BookFilter } from "../../api/book";
import { sentenceOf, type Schemas } from "../../api/client";
import { clock, day } from "../../lib/format";
import { Note, Select, ShowMore, TextField } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { AddToBook } from "./AddToBook";
import type { ViewProps } from "../../ui/view";
import { CrewsDiffer } from "./CrewsDiffer";

/** What lines are about; empty: all of them. */
type Group = "" | Schemas["GroupWords"]["group"];

/** The day as a line, the machine's entries left, the crew's right; found by words, by what they are about, by day. */
export function LinesView({ job, tabs }: ViewProps) {
  const [text, setText] = useState("");
  const [group, setGroup] = useState<NonNullable<BookFilter["group"]>>("");
  const [onDay, setOnDay] = useState("");
  const book = useBook(job.id, { text: useDeferredValue(text), group, day: onDay });
  const days = useDays(job.id).data ?? [];
  const [openId, setOpen] = useState<string | null>(null);
  const first = book.data?.pages[0];
  const whole = first?.verification;
  const lines = book.data?.pages.flatMap((page) => page.lines) ?? [];
  const filtered = text !== "" || group !== "" || onDay !== "";
  return (
    <Page
      title="Book"
      why={`What happened, newest first, ${job.time_zone} time. Lines are added, never changed.`}
      tabs={tabs}
      aside={
        whole && (
          <p className={whole.whole ? "" : "font-bold text-flag"}>
            {whole.sentence}
            <span className="block text-base text-faded">last hash {whole.last_hash.slice(0, 16)}</span>
          </p>
        )
      }
      action={first && <AddToBook job={job} weather={first.weather} />}
    >
      <CrewsDiffer job={job} />
      <LineFilter text={text} setText={setText} group={group} first={first} setGroup={setGroup} onDay={onDay} days={days} setOnDay={setOnDay} />
      {book.isError && <Note tone="flag">{sentenceOf(book.error)}</Note>}
      {book.data && (
        <>
          {first?.passwords && (
            <div className="mb-3">
              <Note tone="flag">{first.passwords}</Note>
            </div>
          )}
          {lines.length === 0 && <Note>{filtered ? "No line matches." : "Nothing is written yet."}</Note>}
          <div className="hidden text-base text-faded sm:grid sm:grid-cols-[1fr_7rem_1fr]">
            <span className="text-right">the machine</span>
            <span />
            <span>the crew</span>
          </div>
          <LineList lines={lines} job={job} openId={openId} setOpen={setOpen} />
          {book.hasNextPage && (
            <ShowMore busy={book.isFetchingNextPage} onMore={() => void book.fetchNextPage()}>
              Earlier lines:
            </ShowMore>
          )}
        </>
      )}
    </Page>
  );
}

/** Lines, newest first. */
function LineList(props: {
  lines: Schemas["BookLine"][];
  job: Schemas["JobView"];
  openId: string | null;
  setOpen: (value: string | null) => void;
}) {
  const { lines, job, openId, setOpen } = props;
  return (
    <ol>
      {lines.map((line, n) => (
        <Entry
          key={line.id}
          job={job}
          line={line}
          newDay={day(line.at_s, job.time_zone) !== day(lines[n - 1]?.at_s ?? 0, job.time_zone)}
          open={line.id === openId}
          onOpen={() => setOpen(line.id === openId ? null : line.id)}
        />
      ))}
    </ol>
  );
}

/** Words, what lines are about, and the day. */
function LineFilter(props: {
  text: string;
  setText: (value: string) => void;
  group: Group;
  first: Schemas["BookView"] | undefined;
  setGroup: (value: Group) => void;
  onDay: string;
  days: Schemas["Day"][];
  setOnDay: (value: string) => void;
}) {
  const { text, setText, group, first, setGroup, onDay, days, setOnDay } = props;
  return (
    <div className="mb-3 grid grid-cols-1 lg:grid-cols-[1fr_15rem_15rem] items-end gap-3">
      <TextField label="Find" name="find_line" value={text} onChange={setText} placeholder="words of a line" />
      <Select
        label="About"
        value={group}
        options={[{ value: "", label: "everything" }, ...(first?.groups ?? []).map((item) => ({ value: item.group, label: item.words }))]}
        onChange={(value) => setGroup(value as NonNullable<BookFilter["group"]>)}
      />
      <Select
        label="Day"
        value={onDay}
        options={[{ value: "", label: "all days" }, ...days.map((item) => ({ value: item.day, label: item.words }))]}
        onChange={setOnDay}
      />
    </div>
  );
}

function Entry(props: { job: Schemas["JobView"]; line: Schemas["BookLine"]; newDay: boolean; open: boolean; onOpen: () => void }) {
  const { job, line } = props;
  const words = (
    <div className="rounded border-2 border-line bg-page">
      <button type="button" aria-expanded={props.open} className="min-h-touch w-full px-4 py-2 text-left leading-6" onClick={props.onOpen}>
        {line.corrects && <b>Correction: </b>}
        {line.sentence}
        {line.after_sign_off && <span className="block font-bold text-flag">{line.after_sign_off}</span>}
      </button>
      {line.photo_id && (
        <a href={`/api/jobs/${job.id}/photos/${line.photo_id}`} target="_blank" rel="noreferrer" className="flex min-h-touch items-center px-4 underline">
          Show the photo
        </a>
      )}
      {props.open && <Opened job={job} line={line} />}
    </div>
  );
  return (
    <li>
      {props.newDay && <p className="py-2 text-center font-bold">{day(line.at_s, job.time_zone)}</p>}
      {/* Machine left, crew right; on a phone one under the other, the time and who beside it. */}
      <div className="grid grid-cols-[5rem_minmax(0,1fr)] items-center sm:grid-cols-[1fr_7rem_1fr]">
        {line.side === "machine" ? <div className="max-sm:order-2">{words}</div> : <span className="max-sm:hidden" />}
        <div className="relative flex h-full min-h-12 flex-col items-center justify-center">
          <span className="absolute inset-y-0 left-1/2 w-1 -translate-x-1/2 bg-lath" aria-hidden="true" />
          <time className="relative rounded bg-paper px-1 text-base leading-5">{clock(line.at_s, job.time_zone)}</time>
          {line.by && <span className="relative max-w-full truncate rounded bg-paper px-1 text-base leading-5 font-bold">{line.by}</span>}
          {line.side === "machine" && <span className="relative rounded bg-paper px-1 text-sm text-faded sm:hidden">machine</span>}
        </div>
        {line.side === "crew" ? <div className="max-sm:order-2">{words}</div> : <span className="max-sm:hidden" />}
      </div>
    </li>
  );
}

/** A line in full: what was there before, what replaced it later, and what it holds. */
function Opened({ job, line }: { job: Schemas["JobView"]; line: Schemas["BookLine"] }) {
  const seen = useBookLine(job.id, line.id);
  if (seen.isError) return <Note tone="flag">{sentenceOf(seen.error)}</Note>;
  if (!seen.data) return <p className="px-4 pb-2">Reading the line.</p>;
  const told = (title: string, lines: Schemas["BookLine"][]) =>
    lines.length > 0 && (
      <div>
        <p className="font-semibold">{title}</p>
        {lines.map((item) => (
          <p key={item.id} className="leading-6">
            {day(item.at_s, job.time_zone)} {clock(item.at_s, job.time_zone).slice(0, 5)}
            {item.by && `, ${item.by}`}: {item.sentence}
          </p>
        ))}
      </div>
    );
  return (
    <div className="flex flex-col gap-2 border-t-2 border-line px-4 py-2">
      {line.corrects && told("Before", seen.data.before)}
      {told("Corrected later", seen.data.after)}
      <dl className="grid grid-cols-[max-content_minmax(0,1fr)] gap-x-3 text-base text-faded">
        <dt>line</dt>
        <dd>
          {line.sequence}, hash {line.hash.slice(0, 16)}, before it {seen.data.previous_hash.slice(0, 16)}
        </dd>
        {seen.data.numbers.map((item) => (
          <div key={item.name} className="contents">
            <dt>{item.name}</dt>
            <dd className="truncate" title={item.value}>
              {item.value}
            </dd>
          </div>
        ))}
      </dl>
    </div>
  );
}
