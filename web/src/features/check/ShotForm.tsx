import type { Problem, Schemas } from "../../api/client";
import { useHeights } from "../../api/queries";
import { length, UNIT_SIGN } from "../../lib/format";
import { Select, TextField, Toggle } from "../../ui/controls";
import { MarkPicker } from "../../ui/marks";
import { PracticeStand } from "../../ui/practice";

/** A shot as it is settled before recording; the seconds as typed. */
export interface ShotTyped {
  seconds: string;
  reading: string;
  feature: string;
  fixed_only: boolean;
  tolerance: Schemas["ToleranceSet"]["name"];
}

export const USUAL_SHOT: ShotTyped = { seconds: "30", reading: "2.000 m", feature: "rod", fixed_only: true, tolerance: "control" };

/** What is settled before recording: the mark, the pole, how long, and within which limits. */
export function ShotForm(props: {
  job: Schemas["JobView"];
  mark: Schemas["MarkView"] | null;
  onMark: (mark: Schemas["MarkView"]) => void;
  wish: ShotTyped;
  onWish: (wish: ShotTyped) => void;
  problem: Problem | null;
}) {
  const { job, mark, wish, problem } = props;
  const kit = useHeights(job.id);
  const set = (more: Partial<ShotTyped>) => props.onWish({ ...wish, ...more });
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  return (
    <div className="flex min-w-0 flex-col gap-4">
      <MarkPicker jobId={job.id} label="Mark under the pole" value={mark} onPick={props.onMark} />
      {mark && job.practice && <PracticeStand jobId={job.id} who="rover" mark={mark} />}
      <div className="grid grid-cols-[1fr_7rem] gap-3">
        <TextField label="Rover height" name="rover_height" value={wish.reading} onChange={(reading) => set({ reading })} problem={at("reading")} />
        <TextField label="Seconds" name="seconds" value={wish.seconds} onChange={(seconds) => set({ seconds })} problem={at("seconds")} />
      </div>
      <Select
        label="Measured on"
        value={wish.feature}
        options={(kit.data?.rover_features ?? []).map((item) => ({ value: item.name, label: item.label }))}
        onChange={(feature) => set({ feature })}
      />
      <Select
        label="Limits"
        value={wish.tolerance}
        options={(kit.data?.tolerances ?? []).map((limits) => ({
          value: limits.name,
          label: limits.name,
          detail: `${length(limits.horizontal_m, job.length_unit)} and ${length(limits.vertical_m, job.length_unit)} ${UNIT_SIGN[job.length_unit]}`,
        }))}
        onChange={(name) => set({ tolerance: name as ShotTyped["tolerance"] })}
      />
      <Toggle
        label="Fixed only"
        value={wish.fixed_only}
        onChange={(fixed_only) => set({ fixed_only })}
        hint={wish.fixed_only ? "Anything else is not averaged." : "Float and single would be averaged in."}
      />
    </div>
  );
}
