import { useState } from "react";
import { sentenceOf, type Schemas } from "../../api/client";
import { useSettle } from "../../api/queries";
import { length, UNIT_SIGN } from "../../lib/format";
import { Button, Note, TextField } from "../../ui/controls";
import { MarkPicker } from "../../ui/marks";
import { More } from "../../ui/More";
import { PracticeStand } from "../../ui/practice";
import { AveragePanel, MarkCheck } from "./AveragePanel";
import { Asked } from "./SiteStep";

interface StepProps {
  job: Schemas["JobView"];
  view: Schemas["BaseView"];
  average: Schemas["AverageView"] | null;
  mark: Schemas["MarkView"] | null;
}

/** Which mark the tripod stands on, level and plumb over it, and whether a rover agrees with it first. */
export function MarkStep({ job, view, average, mark }: StepProps) {
  const settle = useSettle(job.id);
  const [name, setName] = useState("");
  const point = view.setup?.point_name ?? "";
  const unit = job.length_unit;
  return (
    <>
      <MarkPicker jobId={job.id} label="Mark under the antenna" value={mark} onPick={(picked) => settle.mutate({ mark_id: picked.id })} />
      {mark && (
        <p className="leading-6">
          {[mark.note, mark.order, mark.source].filter(Boolean).join(", ")}
          {mark.ellipsoidal_height_m === null
            ? ". It has no ellipsoidal height, so its own coordinate cannot be broadcast."
            : `, ellipsoidal height ${length(mark.ellipsoidal_height_m, unit)} ${UNIT_SIGN[unit]}.`}
        </p>
      )}
      {point && (
        <Note>
          A new point, <span className="font-bold">{point}</span>: it becomes a provisional mark when the base starts, where its coordinate puts it.
        </Note>
      )}
      {settle.isError && <Note tone="flag">{sentenceOf(settle.error)}</Note>}
      {mark && job.practice && <PracticeStand jobId={job.id} who="base" mark={mark} />}
      <Asked job={job} view={view} keys={(question) => question.key === "level:setup"} />
      {!mark && (
        <More title="No mark here: set up over a new point" open={point !== ""}>
          <p className="leading-6 text-faded">A known mark that the list lacks is added under Job, with its coordinate; this is for a point that has none.</p>
          <div className="grid grid-cols-[1fr_auto] items-end gap-3">
            <TextField label="Its name" name="point_name" value={name} onChange={setName} placeholder="B1" />
            <Button disabled={!name.trim() || settle.isPending} onClick={() => settle.mutate({ point_name: name })}>
              Use this point
            </Button>
          </div>
        </More>
      )}
      {mark && (
        <More title="Check the mark first, with the rover on the network" open={view.sources.average_mark !== null}>
          <p className="leading-6 text-faded">
            Before the same receiver becomes the base: hold it over {mark.name} with network corrections and average while it is fixed.
          </p>
          {job.practice && <PracticeStand jobId={job.id} who="rover" mark={mark} />}
          <MarkCheck stored={view.sources.average_mark} />
          <AveragePanel
            job={job}
            purpose="mark"
            average={average}
            stored={view.sources.average_mark}
            suggestedUrl={view.setup?.rover_url ?? view.suggested.rover_url ?? ""}
          />
        </More>
      )}
    </>
  );
}
