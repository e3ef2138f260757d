import { useState } from "react";
import type { Problem } from "../api/client";
import { useHeights } from "../api/queries";
import { Select, TextField } from "./controls";

/** The pole as it is held: kept while this tab is open, so that it is typed once and every page means the same pole. */
export interface Pole {
  reading: string;
  feature: string;
}

let kept: Pole = { reading: "2.000 m", feature: "rod" };

export function usePole(): [Pole, (pole: Pole) => void] {
  const [pole, setPole] = useState(kept);
  return [
    pole,
    (next) => {
      kept = next;
      setPole(next);
    },
  ];
}

export function PoleFields(props: { jobId: string; pole: Pole; onPole: (pole: Pole) => void; problem: Problem | null; name?: string }) {
  const kit = useHeights(props.jobId);
  const at = (field: string) => (props.problem?.field === field ? props.problem.sentence : null);
  return (
    <>
      <TextField
        label="Rover height"
        name={props.name ?? "rover_height"}
        value={props.pole.reading}
        onChange={(reading) => props.onPole({ ...props.pole, reading })}
        problem={at("reading")}
      />
      <Select
        label="Measured on"
        value={props.pole.feature}
        options={(kit.data?.rover_features ?? []).map((item) => ({ value: item.name, label: item.label }))}
        onChange={(feature) => props.onPole({ ...props.pole, feature })}
      />
    </>
  );
}
