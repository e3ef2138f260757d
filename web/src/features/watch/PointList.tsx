import { Camera } from "lucide-react";
import { useDeferredValue, useState } from "react";
import { problemOf, type Schemas, sentenceOf } from "../../api/client";
import { useAddPointPhoto, usePoints, useRelabel } from "../../api/watch";
import { clock, counted, length, UNIT_SIGN } from "../../lib/format";
import { Button, FileButton, Note, PICTURES, Select, ShowMore, TextField } from "../../ui/controls";
import { FindingNote } from "../../ui/findings";
import { RoverHeight } from "../../ui/roverheight";

/** The points as they stand now, newest first; one is opened to be renamed, recoded, noted or taken out. */
export function PointList({ job, kinds }: { job: Schemas["JobView"]; kinds: string[] }) {
  const [text, setText] = useState("");
  const [kind, setKind] = useState("");
  const [out, setOut] = useState(false);
  const [openId, setOpen] = useState<string | null>(null);
  const points = usePoints(job.id, { text: useDeferredValue(text), kind, taken_out: out });
  const all = points.data?.pages.flatMap((page) => page.points) ?? [];
  const unit = job.length_unit;
  return (
    <section className="flex min-w-0 flex-col gap-2" aria-label="All points">
      <div className="grid grid-cols-1 sm:grid-cols-[1fr_9rem_auto] items-end gap-3">
        <TextField label="Find" name="find_point" value={text} onChange={setText} placeholder="name, code or note" />
        <Select label="Kind" value={kind} options={[{ value: "", label: "all" }, ...kinds.map((item) => ({ value: item, label: item }))]} onChange={setKind} />
        <Button aria-pressed={out} onClick={() => setOut(!out)}>
          {out ? "Back to the list" : "Taken out"}
        </Button>
      </div>
      {points.isError && <Note tone="flag">{sentenceOf(points.error)}</Note>}
      {points.data && all.length === 0 && <Note>{out ? "Nothing was taken out." : text || kind ? "No point matches." : "No point yet."}</Note>}
      <ul className="flex flex-col" aria-label="Points">
        {all.map((point) => (
          <li key={point.id} className="border-b border-line">
            <button
              type="button"
              aria-expanded={point.id === openId}
              className="grid min-h-touch w-full grid-cols-1 sm:grid-cols-[6.5rem_4rem_1fr_auto] items-center gap-3 py-1 text-left"
              onClick={() => setOpen(point.id === openId ? null : point.id)}
            >
              <span className="truncate text-xl font-bold">{point.name}</span>
              <span className="truncate font-semibold">{point.code}</span>
              <span className="min-w-0 truncate text-base">
                {point.kind}, {clock(point.created_s, job.time_zone).slice(0, 5)}
                {point.note && `, ${point.note}`}
                {point.guard_words && <span className="font-bold text-flag">, {point.guard_words}</span>}
                {point.moved_words && <span className="font-bold text-flag">, {point.moved_words}</span>}
              </span>
              <span className="text-right text-base whitespace-nowrap">
                {length(point.east_m, unit)} E {length(point.north_m, unit)} N {length(point.height_m, unit)} {UNIT_SIGN[unit]}
              </span>
            </button>
            {point.id === openId && <PointEditor key={point.label_id} job={job} point={point} />}
          </li>
        ))}
      </ul>
      {points.hasNextPage && (
        <ShowMore busy={points.isFetchingNextPage} onMore={() => void points.fetchNextPage()}>
          Earlier points:
        </ShowMore>
      )}
    </section>
  );
}

function PointEditor({ job, point }: { job: Schemas["JobView"]; point: Schemas["PointView"] }) {
  const relabel = useRelabel(job.id, point.id);
  const photo = useAddPointPhoto(job.id, point.id);
  const [name, setName] = useState(point.name);
  const [code, setCode] = useState(point.code);
  const [note, setNote] = useState(point.note);
  const unit = job.length_unit;
  const problem = problemOf(relabel.error);
  const keep = (taken_out: boolean) => relabel.mutate({ replaces_id: point.label_id, name, code, note, taken_out, reason: "" });
  const changed = name !== point.name || code !== point.code || note !== point.note;
  return (
    <div className="flex flex-col gap-3 rounded bg-page p-3">
      <p className="text-base leading-5">
        {counted(point.epochs - point.left_out, "epoch")} averaged
        {point.left_out > 0 && `, ${point.left_out} left out and kept`}
        {point.effective_n !== null && `, ${point.effective_n.toFixed(1)} independent`}. Scatter {length(point.scatter_horizontal_m, unit)} {UNIT_SIGN[unit]} horizontally,{" "}
        {length(point.scatter_up_m, unit)} {UNIT_SIGN[unit]} up; {point.spread_words} {length(point.horizontal_95_m, unit)} {UNIT_SIGN[unit]} and {length(point.vertical_95_m, unit)} {UNIT_SIGN[unit]}.
        Rover height {length(point.rover_height_m, unit)} {UNIT_SIGN[unit]}.{point.tilt && ` Tilt ${point.tilt}, as entered by the crew.`}
        {point.virtual && " From a virtual base: a position, not a vector from your own base."}
        {point.local_e_m !== null && ` Local: east ${length(point.local_e_m, unit)}, north ${length(point.local_n_m, unit)}, height ${length(point.local_h_m, unit)} ${UNIT_SIGN[unit]}.`}
      </p>
      {point.findings.map((finding) => (
        <FindingNote key={finding.code} finding={finding} />
      ))}
      <RoverHeight job={job} shotId={point.id} />
      <div className="grid grid-cols-1 sm:grid-cols-[8rem_8rem_1fr] gap-3">
        <TextField label="Name" name="rename" value={name} onChange={setName} problem={problem?.field === "name" ? problem.sentence : null} />
        <TextField label="Code" name="recode" value={code} onChange={setCode} />
        <TextField label="Note" name="renote" value={note} onChange={setNote} />
      </div>
      {relabel.isError && !problem?.field && <Note tone="flag">{sentenceOf(relabel.error)}</Note>}
      {photo.isError && <Note tone="flag">{sentenceOf(photo.error)}</Note>}
      <div className="flex flex-wrap items-center gap-2">
        <Button kind="primary" disabled={!changed || relabel.isPending} onClick={() => keep(point.taken_out)}>
          Keep
        </Button>
        <Button kind="danger" disabled={relabel.isPending} onClick={() => keep(!point.taken_out)}>
          {point.taken_out ? "Bring it back" : "Take it out"}
        </Button>
        <FileButton label={`Photo of ${point.name}`} accept={PICTURES} onFile={(file) => photo.mutate(file)} disabled={photo.isPending}>
          Photo
        </FileButton>
        {point.photos.map((item) => (
          <a key={item.id} href={`/api/jobs/${job.id}/photos/${item.id}`} target="_blank" rel="noreferrer" className="flex min-h-touch items-center gap-2 underline">
            <Camera aria-hidden size={18} /> {item.name}
          </a>
        ))}
      </div>
    </div>
  );
}
