import { Undo2 } from "lucide-react";
import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { underOf, useDrawSkyline, useUndoSkyline } from "../../api/sky";
import { cornersOf, heightsOf, type Line } from "../../lib/skyline";
import { SkyPanorama } from "../../plots/SkyPanorama";
import { Button, Note } from "../../ui/controls";
import { Page } from "../../ui/Page";
import { PhotoUnder } from "./PhotoUnder";
import type { SkyProps } from "./props";

const NO_LINE: Line = { azimuths_deg: [], elevations_deg: [] };

/** A skyline drawn with the finger over the panorama, over a photo where there is one; kept with the mark. */
export function DrawView(props: SkyProps & { which: "base" | "rover"; onClose: () => void }) {
  const { job, shown, which, onClose } = props;
  const end = shown[which];
  const [heights, setHeights] = useState<readonly number[]>(() => heightsOf(end.skyline));
  const [origin, setOrigin] = useState<"drawn" | "seen">("drawn");
  const [aim, setAim] = useState(end.skyline.photo);
  const draw = useDrawSkyline(job.id);
  const undo = useUndoSkyline(job.id);
  const busy = draw.isPending || undo.isPending;
  const replaces_id = end.skyline.id;
  const keep = () =>
    draw.mutate({ mark_id: end.mark_id!, ...cornersOf(heights), replaces_id, origin, photo: aim }, { onSuccess: onClose });
  const takeBack = () => undo.mutate({ mark_id: end.mark_id!, replaces_id: replaces_id! }, { onSuccess: onClose });
  const change = (next: readonly number[], from: "drawn" | "seen" = "drawn") => {
    setHeights(next);
    setOrigin(from);
  };
  return (
    <Page
      title={`Skyline, ${which}`}
      why={`From ${end.name}: what stands around, as high as it stands. Go over it again to change it; along the ground wipes it off.`}
      aside={
        (draw.isError || undo.isError) && (
          <p role="alert" className="font-semibold text-flag">
            {sentenceOf(draw.error ?? undo.error)}
          </p>
        )
      }
      action={<Actions busy={busy} onBack={onClose} onKeep={keep} />}
    >
      <div className="flex flex-col gap-3">
        <section aria-label="Drawing" className="rounded border-2 border-ink bg-page">
          <SkyPanorama
            arcs={shown.arcs}
            step={props.step}
            maskDeg={end.mask_deg}
            skylines={[{ name: end.name, heights }]}
            nominal={shown.elements.nominal}
            chosen={null}
            onChoose={() => undefined}
            under={aim ? underOf(job.id, aim) : undefined}
            onDraw={change}
          />
        </section>
        <div className="flex flex-wrap gap-3">
          <Button onClick={() => change(heightsOf(NO_LINE))}>Wipe all</Button>
          {end.skyline.may_undo && (
            <Button disabled={busy} onClick={takeBack}>
              <Undo2 aria-hidden size={18} /> As it was before
            </Button>
          )}
        </div>
        {end.offered && <Offered offered={end.offered} onTake={(line) => change(heightsOf(line), "seen")} />}
        <PhotoUnder jobId={job.id} markId={end.mark_id!} aim={aim ?? null} onAim={setAim} />
      </div>
    </Page>
  );
}

function Actions({ busy, onBack, onKeep }: { busy: boolean; onBack: () => void; onKeep: () => void }) {
  return (
    <div className="flex gap-4 hand:flex-1 hand:gap-2">
      <Button className="h-record!" onClick={onBack}>
        Back
      </Button>
      <Button kind="primary" large className="hand:flex-1" disabled={busy} onClick={onKeep}>
        Keep the skyline
      </Button>
    </div>
  );
}

/** What Watch has listed and not heard, offered as a line. */
function Offered({ offered, onTake }: { offered: Schemas["SkylineOffered"]; onTake: (line: Line) => void }) {
  return (
    <Note>
      <div className="flex flex-wrap items-center justify-between gap-3">
        <p>{offered.words} A line over them can be taken, and drawn on.</p>
        <Button onClick={() => onTake(offered)}>Take that line</Button>
      </div>
    </Note>
  );
}
