import { useState } from "react";
import { Problem, sentenceOf, type Schemas } from "../../api/client";
import { useApplySolution, usePreviewSolution } from "../../api/queries";
import { latitude, length, longitude, signed, UNIT_SIGN } from "../../lib/format";
import { Button, Note, TextField } from "../../ui/controls";
import { FindingNote } from "../../ui/findings";
import { TickRow } from "../../ui/ticks";

const EMPTY = { pasted: "", latitude: "", longitude: "", height: "", frame: "", epoch: "", sigma_horizontal: "", sigma_vertical: "", reason: "" };
type Typed = typeof EMPTY;

const FIELDS: { name: keyof Typed; label: string; placeholder: string; hint?: string; wide?: boolean; lines?: number }[] = [
  { name: "pasted", label: "Pasted in one piece", placeholder: "53 20 14.51234 N; 6 15 36.1234 W; 61.234 m", hint: "Latitude, longitude, ellipsoidal height, on lines of their own or with semicolons; or Earth-centred X, Y, Z.", wide: true, lines: 3 },
  { name: "latitude", label: "or latitude", placeholder: "53 20 14.51234 N" },
  { name: "longitude", label: "longitude", placeholder: "6 15 36.1234 W" },
  { name: "height", label: "ellipsoidal height", placeholder: "61.234 m", hint: "Of the mark, not of the antenna." },
  { name: "frame", label: "Frame", placeholder: "ETRS89", hint: "As the computation says it. Nothing is shifted." },
  { name: "epoch", label: "Epoch", placeholder: "2026.9" },
  { name: "sigma_horizontal", label: "Sigma, horizontal", placeholder: "10 mm" },
  { name: "sigma_vertical", label: "Sigma, height", placeholder: "20 mm" },
  { name: "reason", label: "Note for the Book", placeholder: "computed by the office, 6 h", wide: true },
];

/** A static solution: typed or pasted, checked against the present coordinate, what moves shown, then locked in. */
export function SolutionForm(props: { job: Schemas["JobView"]; occupationId: string; locked: boolean }) {
  const { job } = props;
  const [typed, setTyped] = useState<Typed>(EMPTY);
  const [accepted, setAccepted] = useState(false);
  const look = usePreviewSolution(job.id);
  const apply = useApplySolution(job.id);
  const wish = { occupation_id: props.occupationId, ...typed, accepted, unlock: props.locked };
  const refused = [apply.error, look.error].find((error) => error instanceof Problem);
  const seen = look.data;
  const stop = seen?.finding.is_stop;
  const change = (name: keyof Typed) => (value: string) => {
    setTyped({ ...typed, [name]: value });
    // What is changed must be looked at again before it is locked in.
    look.reset();
    setAccepted(false);
  };
  return (
    <>
      <div className="grid grid-cols-3 gap-x-4 gap-y-2">
        {FIELDS.map((field) => (
          <div key={field.name} className={field.wide ? "col-span-full" : ""}>
            <TextField
              label={field.label}
              name={field.name}
              value={typed[field.name]}
              onChange={change(field.name)}
              placeholder={field.placeholder}
              hint={field.hint}
              {...(field.lines ? { lines: field.lines } : {})}
              problem={refused?.field === field.name ? refused.sentence : null}
            />
          </div>
        ))}
      </div>
      {refused && !FIELDS.some((field) => field.name === refused.field) && <Note tone="flag">{sentenceOf(refused)}</Note>}
      {seen && <Moves job={job} seen={seen} />}
      {seen && stop && <TickRow what="The numbers are right all the same" done={accepted} onTick={() => setAccepted(!accepted)} />}
      {seen && props.locked && <Note>The present coordinate is locked as control quality; this one takes its place.</Note>}
      <div className="flex gap-3">
        <Button kind={seen ? "quiet" : "primary"} disabled={look.isPending} onClick={() => look.mutate(wish)}>
          Look at what moves
        </Button>
        {seen && (
          <Button
            kind="primary"
            disabled={(stop && !accepted) || apply.isPending}
            onClick={() =>
              apply.mutate(wish, {
                onSuccess: () => {
                  setTyped(EMPTY);
                  look.reset();
                },
              })
            }
          >
            Lock it in
          </Button>
        )}
      </div>
    </>
  );
}

function Moves({ job, seen }: { job: Schemas["JobView"]; seen: Schemas["SolutionPreview"] }) {
  const unit = job.length_unit;
  return (
    <section aria-label="What moves" className="flex flex-col gap-2">
      <FindingNote finding={seen.finding} />
      <p>
        Read as {latitude(seen.latitude_deg, 9)}, {longitude(seen.longitude_deg, 9)}, {length(seen.height_m, unit)} {UNIT_SIGN[unit]}: solution − present{" "}
        <span className="font-bold">
          {signed(seen.east_m, unit)} E, {signed(seen.north_m, unit)} N, {signed(seen.up_m, unit)} {UNIT_SIGN[unit]} up
        </span>
        .
      </p>
      {seen.points.length === 0 ? (
        <p className="text-faded">Nothing was measured from this base.</p>
      ) : (
        <table className="w-full text-base">
          <thead>
            <tr className="text-left text-faded">
              <th className="font-normal">point</th>
              <th className="font-normal">moves E, N, up ({UNIT_SIGN[unit]})</th>
              <th className="font-normal">against its mark now</th>
              <th className="font-normal">then</th>
            </tr>
          </thead>
          <tbody>
            {seen.points.map((point, place) => (
              <tr key={`${point.name} ${place}`} className="border-t border-line">
                <th className="text-left">{point.name}</th>
                <td>
                  {signed(point.moves_east_m, unit)}, {signed(point.moves_north_m, unit)}, {signed(point.moves_up_m, unit)}
                </td>
                <td>{point.before}</td>
                <td>{point.after}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}
