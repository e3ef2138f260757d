import type { Schemas } from "../../api/client";
import { Problem } from "../../api/client";
import { useHeight, useHeights } from "../../api/queries";
import { HeightStack } from "../../plots/HeightStack";
import { Select, TextField } from "../../ui/controls";

export interface TypedHeight {
  reading: string;
  feature: string;
}

/** What is typed becomes the ARP height while it is typed; null while it cannot be read. */
export function useTypedHeight(jobId: string, typed: TypedHeight) {
  const height = useHeight(jobId, { ...typed, subject: "base" });
  const readable = typed.reading.trim() !== "" && !height.isError && height.data ? height.data : null;
  const problem = height.error instanceof Problem && typed.reading.trim() !== "" ? height.error.sentence : null;
  return { height: readable, problem };
}

export function HeightFields(props: {
  typed: TypedHeight;
  onChange: (typed: TypedHeight) => void;
  problem: string | null;
  job: Schemas["Job"];
}) {
  const kit = useHeights(props.job.id);
  const features = kit.data?.base_features ?? [];
  const chosen = features.find((feature) => feature.name === props.typed.feature);
  return (
    <div className="grid grid-cols-[14rem_1fr] items-start gap-4">
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

export function HeightPicture({ height }: { height: Schemas["Height"] | null }) {
  if (!height) return <p className="m-auto p-6 text-center text-faded">Type the reading: the height of the ARP is drawn here to scale.</p>;
  return (
    <HeightStack
      arpHeightM={height.arp_height_m}
      featureToArpM={height.feature_to_arp_m}
      rimRadiusM={height.rim_radius_m}
      slant={height.method === "slant"}
      arpText={height.text}
    />
  );
}
