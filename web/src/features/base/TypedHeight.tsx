/** A height while it is typed: its fields, what the server reads, and the stack it makes. */
import type { Schemas } from "../../api/client";
import { Problem } from "../../api/client";
import { useHeight, useHeights } from "../../api/queries";
import { length, UNIT_SIGN } from "../../lib/format";
import { HeightStack } from "../../plots/HeightStack";
import { Select, TextField } from "../../ui/controls";

export interface Typed {
  reading: string;
  feature: string;
}

export const NOTHING_TYPED: Typed = { reading: "", feature: "bottom" };

/** What is typed becomes the ARP height while it is typed; null while it cannot be read. */
export function useTyped(jobId: string, typed: Typed) {
  const height = useHeight(jobId, { ...typed, subject: "base" });
  const there = typed.reading.trim() !== "";
  return {
    height: there && !height.isError && !height.isPlaceholderData && height.data ? height.data : null,
    problem: there && height.error instanceof Problem ? height.error.sentence : null,
  };
}

export function TypedFields(props: { job: Schemas["JobView"]; typed: Typed; onChange: (typed: Typed) => void; problem: string | null }) {
  const kit = useHeights(props.job.id);
  const features = kit.data?.base_features ?? [];
  const chosen = features.find((feature) => feature.name === props.typed.feature);
  return (
    <div className="grid grid-cols-1 sm:grid-cols-[13rem_1fr] items-start gap-4">
      <TextField
        label="Height reading"
        name="reading"
        large
        value={props.typed.reading}
        onChange={(reading) => props.onChange({ ...props.typed, reading })}
        placeholder={props.job.length_unit === "m" ? "1.532 m" : "5.026 ft"}
        problem={props.problem}
        hint={`Without a unit: ${props.job.length_unit_word}`}
      />
      <Select
        label="Measured to"
        value={props.typed.feature}
        options={features.map((feature) => ({ value: feature.name, label: feature.label }))}
        onChange={(feature) => props.onChange({ ...props.typed, feature })}
        hint={chosen?.hint}
      />
    </div>
  );
}

/** What is drawn beside the steps: the height while it is typed, else the mean of what was read. */
export function StackCard(props: { job: Schemas["JobView"]; heights: Schemas["BaseHeights"]; typed: Typed }) {
  const { job, heights, typed } = props;
  const typing = useTyped(job.id, typed).height;
  const unit = job.length_unit;
  const mean = heights.opening;
  const drawn = typing ?? mean?.stack ?? null;
  const write = (metres: number | null) => `${length(metres, unit)} ${UNIT_SIGN[unit]}`;
  const disagree = !typing && mean !== null && mean.stack === null;
  return (
    <section aria-label="Height of the antenna" className="rounded border-2 border-line bg-page px-4 py-2">
      <p className={`leading-tight ${disagree ? "font-bold text-flag" : "text-faded"}`}>
        {typing ? "ARP above the mark, as typed now" : disagree ? "The readings disagree: not a height yet" : "ARP above the mark"}
      </p>
      {disagree ? (
        <p className="text-4xl leading-tight font-bold text-flag" data-testid="arp-height">
          {mean.text}
        </p>
      ) : (
        <p className="text-5xl leading-none font-bold" data-testid="arp-height">
          {length(drawn?.arp_height_m, unit)}
          <span className="ml-1 text-2xl">{UNIT_SIGN[unit]}</span>
        </p>
      )}
      {mean && !typing && <p className="leading-tight text-faded">{mean.worth}</p>}
      {drawn ? (
        <div className="h-[11.5rem]">
          <HeightStack
            stack={{
              arpHeightM: drawn.arp_height_m,
              featureToArpM: drawn.feature_to_arp_m,
              rimRadiusM: drawn.rim_radius_m,
              slant: drawn.method === "slant",
              phaseCentreUpM: drawn.phase_centre_up_m,
            }}
            reading={`read: ${typing ? typed.reading.trim() : (mean?.read ?? "")}`}
            arp={drawn.text}
            toFeature={write(drawn.feature_height_m)}
            toPhaseCentre={write(drawn.phase_centre_height_m)}
          />
        </div>
      ) : (
        <p className="py-6 text-center text-faded">
          {disagree
            ? "Read the tape once more. The stack is drawn when the readings agree."
            : "Type the reading: the stack from mark to phase centre is drawn here to scale."}
        </p>
      )}
    </section>
  );
}
