import type { Problem, Schemas } from "../../../api/client";

/** What each part of the settings is given: the job, what has been changed so far, and the problem of the last try. */
export interface PartProps {
  job: Schemas["JobView"];
  changes: Schemas["JobChanges"];
  set: (more: Schemas["JobChanges"]) => void;
  problem?: Problem | null;
}
