import { ZoomIn, ZoomOut } from "lucide-react";
import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useHistory, type Stretch } from "../../api/watch";
import { clock, fixed, length, METRES, UNIT_SIGN } from "../../lib/format";
import { BAND, TimeAxis, type ReadOff } from "../../plots/TimeAxis";
import { Button, Note, Select } from "../../ui/controls";

const SPANS = [
  { value: "60", label: "1 minute" },
  { value: "300", label: "5 minutes" },
  { value: "1200", label: "20 minutes" },
  { value: "7200", label: "2 hours" },
  { value: "43200", label: "12 hours" },
  { value: "86400", label: "the whole day" },
];
const SHORTEST_S = 10;
const LONGEST_S = 86_400;

/** One time axis, from seconds to the whole day: fix, age, claims, satellites, events. */
export function FixHistory({ job, roverId }: { job: Schemas["JobView"]; roverId: string }) {
  const [stretch, setStretch] = useState<Stretch>({ seconds: 300, to: 0 });
  const [read, setRead] = useState<ReadOff | null>(null);
  const history = useHistory(job.id, roverId, stretch);
  const unit = job.length_unit;
  const shown = history.data;
  const choose = (from: number, to: number) =>
    setStretch({ seconds: Math.min(LONGEST_S, Math.max(SHORTEST_S, to - from)), to });
  const zoom = (factor: number) => {
    if (!shown) return;
    const seconds = Math.min(LONGEST_S, Math.max(SHORTEST_S, stretch.seconds * factor));
    // About the moment that is read off; else the end stays where it is.
    const middle = read?.at ?? null;
    setStretch({ seconds, to: middle === null ? stretch.to : middle + seconds / 2 });
  };
  return (
    <section className="rounded border-2 border-line bg-page p-3" aria-label="Fix history with events">
      {history.isError && <Note tone="flag">{sentenceOf(history.error)}</Note>}
      <HistoryHead read={read} job={job} unit={unit} zoom={zoom} stretch={stretch} setStretch={setStretch} />
      {shown && (
        <TimeAxis
          history={shown}
          timeZone={job.time_zone}
          unit={{ metres: METRES[unit], sign: UNIT_SIGN[unit] }}
          onStretch={choose}
          onRead={setRead}
        />
      )}
      <div className="mt-1 flex flex-wrap items-center gap-x-5 gap-y-1 text-base">
        {(["fixed", "float", "single", "none"] as const).map((status) => (
          <span key={status} className="flex items-end gap-2">
            <span className="mb-1 w-6" style={{ height: 18 * BAND[status].height, background: `var(${BAND[status].colour})` }} /> {BAND[status].word}
          </span>
        ))}
        <span className="flex items-center gap-2">
          <span className="h-1 w-6 bg-checked" /> 95 % horizontal
        </span>
        <span className="flex items-center gap-2">
          <span className="h-1 w-6 bg-grain" /> height
        </span>
      </div>
      {shown && shown.events.length > 0 && <EventList events={shown.events} timeZone={job.time_zone} onGo={(at) => choose(at - 30, at + 30)} />}
    </section>
  );
}

/** What the picture shows where it is touched, and its span. */
function HistoryHead(props: {
  read: ReadOff | null;
  job: Schemas["JobView"];
  unit: Schemas["JobView"]["length_unit"];
  zoom: (factor: number) => void;
  stretch: Stretch;
  setStretch: (value: Stretch) => void;
}) {
  const { read, job, unit, zoom, stretch, setStretch } = props;
  return (
    <div className="mb-1 flex items-center gap-3">
      <p className="min-w-0 flex-1 text-base" data-testid="read-off">
        {read ? (
          <>
            <span className="font-bold">{clock(read.at, job.time_zone)}</span> age {fixed(read.age, 1)} s, H {length(read.horizontal, unit)} V{" "}
            {length(read.vertical, unit)} {UNIT_SIGN[unit]}, {read.satellites ?? "–"} satellites
          </>
        ) : (
          <span className="text-faded">Touch to read off; drag or two fingers to zoom. Each pixel holds the worst that came.</span>
        )}
      </p>
      <Button aria-label="Zoom in" className="px-3!" onClick={() => zoom(0.5)}>
        <ZoomIn aria-hidden size={20} />
      </Button>
      <Button aria-label="Zoom out" className="px-3!" onClick={() => zoom(2)}>
        <ZoomOut aria-hidden size={20} />
      </Button>
      {stretch.to !== 0 && <Button onClick={() => setStretch({ ...stretch, to: 0 })}>Back to now</Button>}
      <div className="w-44">
        <Select
          compact
          label="Span"
          value={SPANS.some((item) => item.value === String(stretch.seconds)) ? String(stretch.seconds) : ""}
          options={SPANS}
          onChange={(value) => setStretch({ seconds: Number(value), to: 0 })}
        />
      </div>
    </div>
  );
}

function EventList(props: { events: Schemas["HistoryEvent"][]; timeZone: string; onGo: (at: number) => void }) {
  return (
    <ul className="mt-1 flex max-h-24 flex-col overflow-auto border-t border-line pt-1 text-base" aria-label="Events">
      {[...props.events].reverse().map((event) => (
        <li key={`${event.at_s} ${event.kind}`}>
          <button type="button" className="text-left" onClick={() => props.onGo(event.at_s)}>
            <span className="font-bold">{clock(event.at_s, props.timeZone)}</span> {event.kind}: {event.words}
          </button>
        </li>
      ))}
    </ul>
  );
}
