import type { Problem, Schemas } from "../../api/client";
import { useCheckSettings } from "../../api/check";
import { length, UNIT_SIGN } from "../../lib/format";
import { Select, TextField, Toggle } from "../../ui/controls";
import { MarkPicker } from "../../ui/marks";
import { PoleFields, type Pole } from "../../ui/pole";
import { PracticeStand } from "../../ui/practice";

/** A shot as it is settled before recording, apart from mark and pole; the seconds as typed. */
export interface ShotTyped {
  seconds: string;
  fixed_only: boolean;
  tolerance: string;
}

export const USUAL_SHOT: ShotTyped = { seconds: "30", fixed_only: true, tolerance: "control" };

/** What is settled before recording: the mark, the pole, how long, and within which tolerance. */
export function ShotForm(props: {
  job: Schemas["JobView"];
  mark: Schemas["MarkView"] | null;
  onMark: (mark: Schemas["MarkView"]) => void;
  wish: ShotTyped;
  onRequest: (wish: ShotTyped) => void;
  pole: Pole;
  onPole: (pole: Pole) => void;
  problem: Problem | null;
}) {
  const { job, mark, wish, problem } = props;
  const settings = useCheckSettings(job.id);
  const set = (more: Partial<ShotTyped>) => props.onRequest({ ...wish, ...more });
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  return (
    // In the hand what the last check said stands between the mark and the rest, which seldom changes.
    <div className="flex min-w-0 flex-col gap-4 hand:contents">
      <div className="flex flex-col gap-4 hand:order-1">
        <MarkPicker jobId={job.id} label="Mark under the pole" value={mark} onPick={props.onMark} />
        {mark && job.practice && <PracticeStand jobId={job.id} who="rover" mark={mark} />}
      </div>
      <div className="hand:order-3 grid grid-cols-[7.5rem_minmax(0,1fr)] gap-3">
        <PoleFields jobId={job.id} pole={props.pole} onPole={props.onPole} problem={problem} />
        <TextField label="Seconds" name="seconds" value={wish.seconds} onChange={(seconds) => set({ seconds })} hint="0: one epoch" problem={at("seconds")} />
        <Select
          label="Tolerance"
          value={wish.tolerance}
          options={(settings.data?.settings.tolerances ?? []).map((limits) => ({
            value: limits.name,
            label: limits.name,
            detail: `${length(limits.horizontal_m, job.length_unit)} and ${length(limits.vertical_m, job.length_unit)} ${UNIT_SIGN[job.length_unit]}${limits.origin && `; ${limits.origin}`}`,
          }))}
          onChange={(tolerance) => set({ tolerance })}
        />
      </div>
      <div className="hand:order-4">
        <Toggle
          label="Fixed only"
          value={wish.fixed_only}
          onChange={(fixed_only) => set({ fixed_only })}
          hint={wish.fixed_only ? "Anything else is not averaged." : "Float and single would be averaged in."}
        />
      </div>
    </div>
  );
}
