import { useState } from "react";
import { problemOf, type Schemas } from "../../api/client";
import { useChooseFit } from "../../api/fit";
import { Button, Note, Select, TextField, Toggle } from "../../ui/controls";
import { Page } from "../../ui/Page";
import type { FitViewProps } from "./props";

type Models = Schemas["FitModels"];

/** The models, what is known of the local system, and what each choice gives. */
export function ModelsView({ job, fit, tabs, onView }: FitViewProps) {
  const choose = useChooseFit(job.id);
  const [models, setModels] = useState<Models>(fit.models);
  const [typed, setTyped] = useState({ scale: fit.models.scale?.toString() ?? "", north_deg: fit.models.north_deg?.toString() ?? "" });
  const set = (more: Partial<Models>) => setModels({ ...models, ...more });
  const problem = problemOf(choose.error);
  const at = (field: string) => (problem?.field === field ? problem.sentence : null);
  const held = models.horizontal !== "similarity";
  const wish = { ...models, scale: models.held_scale === "typed" ? typed.scale || null : null, north_deg: models.north === "typed" ? typed.north_deg || null : null };
  const options = (field: keyof Models) => fit.model_choices.filter((item) => item.field === field).map((item) => ({ value: item.value, label: item.title, ...(item.gives && { detail: item.gives }) }));
  const gives = (field: keyof Models) => fit.model_choices.find((item) => item.field === field && item.value === models[field])?.gives;
  const school = fit.schools.find((item) => item.school === fit.school);
  return (
    <Page
      title="Models"
      why="How the two systems may differ. Fewer numbers to solve leave more to judge by."
      tabs={tabs}
      aside={problem && !["scale", "north_deg", "north"].includes(problem.field ?? "") ? <p className="font-semibold text-flag">{problem.sentence}</p> : <p className="text-faded">{fit.expected_words}</p>}
      action={
        <Button kind="primary" large disabled={choose.isPending} onClick={() => choose.mutate({ replaces_id: fit.chosen_id, models: wish }, { onSuccess: () => onView("fit") })}>
          Fit by these
        </Button>
      }
    >
      <div className="grid grid-cols-1 sm:grid-cols-2 gap-6">
        <HorizontalModel models={models} options={options} set={set} gives={gives} held={held} typed={typed} setTyped={setTyped} at={at} />
        <div className="flex flex-col gap-4">
          <fieldset className="flex flex-col gap-4 rounded border-2 border-line bg-page p-4">
            <legend className="px-2 text-xl font-bold">Vertical</legend>
            <Select label="May differ by" value={models.vertical} options={options("vertical")} onChange={(value) => set({ vertical: value as Models["vertical"] })} hint={gives("vertical")} />
            <Toggle label="Through the job's geoid" value={models.geoid ?? false} onChange={(geoid) => set({ geoid })} hint={fit.has_geoid ? "Its undulation is taken off first; the model takes up the rest." : "This job has no geoid grid: choose one under Job, System."} />
          </fieldset>
          <fieldset className="flex flex-col gap-4 rounded border-2 border-line bg-page p-4">
            <legend className="px-2 text-xl font-bold">Both</legend>
            <Select
              label="Weights"
              value={models.weights}
              options={options("weights")}
              onChange={(value) => set({ weights: value as Models["weights"] })}
            />
            <Select
              label="GNSS coordinates in"
              value={models.projection}
              options={options("projection")}
              onChange={(value) => set({ projection: value as Models["projection"] })}
            />
          </fieldset>
          {school && (
            <Note>
              <b>{school.title}.</b> {school.way} {school.good} {school.bad}
            </Note>
          )}
        </div>
      </div>
    </Page>
  );
}

/** The horizontal model, its scale and its north. */
function HorizontalModel(props: {
  models: Schemas["FitModels"];
  options: (field: keyof Models) => { value: string; label: string; detail?: string }[];
  set: (more: Partial<Models>) => void;
  gives: (field: keyof Models) => string | undefined;
  held: boolean;
  typed: { scale: string; north_deg: string };
  setTyped: (value: { scale: string; north_deg: string }) => void;
  at: (field: string) => string | null;
}) {
  const { models, options, set, gives, held, typed, setTyped, at } = props;
  return (
    <fieldset className="flex flex-col gap-4 rounded border-2 border-line bg-page p-4">
      <legend className="px-2 text-xl font-bold">Horizontal</legend>
      <Select label="May differ by" value={models.horizontal} options={options("horizontal")} onChange={(value) => set({ horizontal: value as Models["horizontal"] })} hint={gives("horizontal")} />
      <Select
        label="Local distances are"
        value={models.distances}
        options={options("distances")}
        onChange={(value) => set({ distances: value as Models["distances"] })}
        hint={gives("distances")}
      />
      {held && <Select label="Scale held at" value={models.held_scale} options={options("held_scale")} onChange={(value) => set({ held_scale: value as Models["held_scale"] })} />}
      {held && models.held_scale === "typed" && <TextField label="Scale" name="scale" value={typed.scale} onChange={(scale) => setTyped({ ...typed, scale })} placeholder="1.0000578" problem={at("scale")} />}
      <Select label="Local north is" value={models.north} options={options("north")} onChange={(value) => set({ north: value as Models["north"] })} hint={at("north") ? <span className="font-semibold text-flag">{at("north")}</span> : models.horizontal === "shift" ? "It is held." : "It is what the rotation is compared with."} />
      {models.north === "typed" && (
        <TextField label="Degrees, anticlockwise" name="north_deg" value={typed.north_deg} onChange={(north_deg) => setTyped({ ...typed, north_deg })} placeholder="−37.4" problem={at("north_deg")} />
      )}
    </fieldset>
  );
}
