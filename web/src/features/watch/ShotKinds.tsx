import type { Schemas } from "../../api/client";
import { useSaveShotSettings } from "../../api/watch";
import { SettingsEditor } from "../../ui/SettingsEditor";

/** The kinds of shot with their limits, and the crew's codes. */
export function ShotKinds(props: { job: Schemas["JobView"]; view: Schemas["ShotSettingsView"]; onClose: () => void }) {
  const save = useSaveShotSettings(props.job.id);
  return (
    <SettingsEditor
      title="Kinds and codes"
      why="A limit that is empty holds nothing back. What was recorded stays as it is."
      unit={props.job.length_unit}
      view={props.view}
      saving={save}
      onKeep={(wish) => save.mutate(wish, { onSuccess: props.onClose })}
      onClose={props.onClose}
    />
  );
}
