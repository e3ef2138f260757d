import { useState } from "react";
import { sentenceOf, type Schemas } from "../../../api/client";
import { useAddGeoid, useGeoids, useSystems } from "../../../api/queries";
import { latitude, longitude } from "../../../lib/format";
import { FileButton, Note, Select } from "../../../ui/controls";
import { LengthField } from "../../../ui/length";
import { SearchSelect } from "../../../ui/search";
import type { PartProps } from "./parts";

/** What elevations are counted from, the geoid grid, and how far readings of one height may differ. */
export function HeightFields({ job, changes, set, problem }: PartProps) {
  const geoids = useGeoids();
  const add = useAddGeoid();
  const [text, setText] = useState("");
  const verticals = useSystems("verticals", { text });
  const chosen = changes.geoid_id === undefined ? job.geoid_id : changes.geoid_id;
  const vertical = changes.vertical_system ?? job.vertical_system;
  return (
    <div className="grid grid-cols-1 sm:grid-cols-2 gap-5">
      <SearchSelect
        label="Elevations are counted from"
        value={vertical ? { id: vertical, label: vertical, detail: "" } : null}
        found={(verticals.data ?? []).map((item) => {
          const name = `${item.name} (EPSG:${item.code})`;
          return { id: name, label: name, detail: item.area };
        })}
        more={0}
        onSearch={setText}
        onPick={(item) => set({ vertical_system: item.id })}
        hint="Type a part of its name: Malin, NAVD88."
      />
      <div className="flex flex-col gap-2">
        <Select
          label="Geoid grid"
          value={chosen ?? ""}
          options={[{ value: "", label: "none: heights stay ellipsoidal" }, ...(geoids.data ?? []).map(geoidOption)]}
          onChange={(id) => set({ geoid_id: id || null })}
          hint="Outside the grid, or without one, there is no elevation."
        />
        <div>
          <FileButton
            label="Geoid grid file"
            accept=".gtx,.tif,.tiff"
            disabled={add.isPending}
            onFile={(file) => add.mutate(file, { onSuccess: (grid) => set({ geoid_id: grid.id }) })}
          >
            {add.isPending ? "Reading the grid" : "Add a grid (.gtx or GeoTIFF)"}
          </FileButton>
        </div>
        {add.isError && <Note tone="flag">{sentenceOf(add.error)}</Note>}
      </div>
      <LengthField
        label="Readings of one antenna height agree to"
        name="height_limit"
        unit={job.length_unit}
        value={changes.height_limit ?? `${Number((job.height_limit_m * 1000).toFixed(2))} mm`}
        onChange={(height_limit) => set({ height_limit })}
        hint="2 to 3 mm is usual. Beyond it the Base page says stop."
        problem={problem?.field === "height_limit" ? problem.sentence : null}
      />
    </div>
  );
}

function geoidOption(grid: Schemas["Geoid"]) {
  if (grid.problem || grid.south_deg === null || grid.north_deg === null || grid.west_deg === null || grid.east_deg === null)
    return { value: grid.id, label: grid.name, detail: grid.problem };
  const area = `${latitude(grid.south_deg, 1)} to ${latitude(grid.north_deg, 1)}, ${longitude(grid.west_deg, 1)} to ${longitude(grid.east_deg, 1)}`;
  return { value: grid.id, label: grid.name, detail: `${area}, every ${Number(grid.latitude_step_min?.toFixed(2))}′` };
}
