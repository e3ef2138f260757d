import type { Schemas } from "../../api/client";
import type { SkyAsked } from "../../api/sky";

/** What each view of the Sky page is given: the sky of the day, the step that is looked at, and how to ask for another day. */
export interface SkyProps {
  job: Schemas["JobView"];
  tabs: React.ReactNode;
  shown: Schemas["SkyOfDay"];
  step: number;
  onStep: (step: number) => void;
  /** The time of a step in the job's time zone. */
  at: (step: number) => string;
  asked: SkyAsked;
  ask: (change: Partial<SkyAsked>) => void;
}
