import { useState, type MouseEvent } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useAddSkyPhoto, useAimPhoto } from "../../api/sky";
import { Button, FileButton, Note, PICTURES, TextField, Toggle } from "../../ui/controls";

type Aim = Schemas["PhotoAim"];
type At = { x: number; y: number };

const ASKS = ["Press the horizon: level ground far away.", "Press something whose direction you know.", "Press something else whose direction you know."] as const;

/** A photo laid under the panorama: the horizon and two known directions in it say where it looks. */
export function PhotoUnder(props: { jobId: string; markId: string; aim: Aim | null; onAim: (aim: Aim | null) => void }) {
  const add = useAddSkyPhoto(props.jobId);
  const [sweep, setSweep] = useState(false);
  const photo = add.data;
  if (props.aim && !photo)
    return (
      <div>
        <Button onClick={() => props.onAim(null)}>Take the photo away</Button>
      </div>
    );
  if (!photo)
    return (
      <div className="flex flex-wrap items-center gap-3">
        <FileButton
          label="Photo of the sky"
          accept={PICTURES}
          disabled={add.isPending}
          onFile={(file) => add.mutate({ mark_id: props.markId, file }, { onSuccess: (found) => setSweep(found.sweep) })}
        >
          Lay a photo under it
        </FileButton>
        {add.isError && <Note tone="flag">{sentenceOf(add.error)}</Note>}
      </div>
    );
  return <Aiming key={photo.id} {...props} photo={photo} sweep={sweep} onSweep={setSweep} />;
}

/** Three presses in the photo and two azimuths. */
function Aiming(props: { jobId: string; photo: Schemas["SkyPhoto"]; sweep: boolean; onSweep: (sweep: boolean) => void; onAim: (aim: Aim) => void }) {
  const [pressed, setPressed] = useState<At[]>([]);
  const [azimuths, setAzimuths] = useState(["", ""] as [string, string]);
  const aim = useAimPhoto(props.jobId);
  const [horizon, first, second] = pressed;
  const press = (event: MouseEvent<HTMLElement>) => {
    const box = event.currentTarget.getBoundingClientRect();
    const at = { x: (event.clientX - box.left) / box.width, y: (event.clientY - box.top) / box.height };
    setPressed(pressed.length === 3 ? [at] : [...pressed, at]);
  };
  const lay = () =>
    aim.mutate(
      {
        photo_id: props.photo.id,
        horizon_y: horizon!.y,
        first: { ...first!, azimuth: azimuths[0] },
        second: { ...second!, azimuth: azimuths[1] },
        sweep: props.sweep,
      },
      { onSuccess: (found) => props.onAim(found.aim) },
    );
  return (
    <section aria-label="Photo" className="flex flex-col gap-3 rounded border-2 border-line bg-page p-3">
      <p className="text-lg font-semibold">{ASKS[pressed.length] ?? "Type both azimuths, degrees from true north."}</p>
      <div className="relative max-w-3xl cursor-crosshair" onClick={press}>
        <img src={`/api/jobs/${props.jobId}/photos/${props.photo.id}`} alt={props.photo.name} className="block w-full" />
        {horizon && <span className="pointer-events-none absolute inset-x-0 border-t-2 border-flag" style={{ top: `${100 * horizon.y}%` }} />}
        {[first, second].map(
          (at, n) => at && <span key={n} className="pointer-events-none absolute -ml-2.5 -mt-2.5 size-5 rounded-full border-4 border-flag bg-page" style={{ left: `${100 * at.x}%`, top: `${100 * at.y}%` }} />,
        )}
      </div>
      <div className="grid max-w-3xl grid-cols-2 items-end gap-3 small:grid-cols-1">
        {(["first", "second"] as const).map((name, n) => (
          <TextField key={name} label={`Azimuth of the ${name}`} name={name} value={azimuths[n]!} onChange={(text) => setAzimuths(n === 0 ? [text, azimuths[1]] : [azimuths[0], text])} hint="Degrees from true north" />
        ))}
      </div>
      <Toggle label="A sweep" hint="A panorama that the telephone put together; else one photo." value={props.sweep} onChange={props.onSweep} />
      {aim.isError && <Note tone="flag">{sentenceOf(aim.error)}</Note>}
      {aim.data && <p>{aim.data.words}</p>}
      <div>
        <Button disabled={pressed.length < 3 || !azimuths[0].trim() || !azimuths[1].trim() || aim.isPending} onClick={lay}>
          Lay it under
        </Button>
      </div>
    </section>
  );
}
