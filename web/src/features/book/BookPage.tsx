import { Download } from "lucide-react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useBook } from "../../api/queries";
import { clock, day } from "../../lib/format";
import { Note, ShowMore } from "../../ui/controls";
import { Page } from "../../ui/Page";

/** The Book: the day as a line, the machine's entries left, the crew's right. */
export function BookPage({ job }: { job: Schemas["JobView"] }) {
  const book = useBook(job.id);
  const whole = book.data?.pages[0]?.verification;
  const lines = book.data?.pages.flatMap((page) => page.lines) ?? [];
  return (
    <Page
      title="Book"
      why={`What happened, newest first, ${job.time_zone} time. Lines are added, never changed.`}
      aside={
        whole && (
          <p className={whole.whole ? "" : "font-bold text-flag"}>
            {whole.sentence}
            <span className="block text-base text-faded">last hash {whole.last_hash.slice(0, 16)}</span>
          </p>
        )
      }
      action={
        <a
          href={`/api/jobs/${job.id}/points.csv`}
          download
          className="inline-flex h-record items-center gap-2 rounded border-2 border-act bg-act px-8 text-2xl font-bold text-onact"
        >
          <Download aria-hidden /> Points as CSV
        </a>
      }
    >
      {book.isError && <Note tone="flag">{sentenceOf(book.error)}</Note>}
      {book.data && (
        <>
          {book.data.pages[0]?.passwords && (
            <div className="mb-3">
              <Note tone="flag">{book.data.pages[0].passwords}</Note>
            </div>
          )}
          <div className="grid grid-cols-[1fr_7rem_1fr] text-base text-faded">
            <span className="text-right">the machine</span>
            <span />
            <span>the crew</span>
          </div>
          <ol>
            {lines.map((line, n) => (
              <Entry key={line.id} line={line} zone={job.time_zone} newDay={day(line.at_s, job.time_zone) !== day(lines[n - 1]?.at_s ?? 0, job.time_zone)} />
            ))}
          </ol>
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

function Entry({ line, zone, newDay }: { line: Schemas["BookLine"]; zone: string; newDay: boolean }) {
  const words = <p className="rounded border-2 border-line bg-page px-4 py-2 leading-6">{line.sentence}</p>;
  return (
    <li>
      {newDay && <p className="py-2 text-center font-bold">{day(line.at_s, zone)}</p>}
      <div className="grid grid-cols-[1fr_7rem_1fr] items-center">
        <div>{line.side === "machine" && words}</div>
        <div className="relative flex h-full min-h-12 items-center justify-center">
          <span className="absolute inset-y-0 left-1/2 w-1 -translate-x-1/2 bg-lath" aria-hidden="true" />
          <time className="relative rounded bg-paper px-1 text-base">{clock(line.at_s, zone)}</time>
        </div>
        <div>{line.side === "crew" && words}</div>
      </div>
    </li>
  );
}
