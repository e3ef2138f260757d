import type { Schemas } from "../api/client";

/** What each view of a page is given: the job, and the tabs to the other views. */
export interface ViewProps {
  job: Schemas["JobView"];
  tabs: React.ReactNode;
}
