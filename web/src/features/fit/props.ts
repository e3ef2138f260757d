import type { Schemas } from "../../api/client";
import type { ViewProps } from "../../ui/view";

/** The views of the Fit page, as their tabs say them. */
export const VIEWS = [
  { view: "fit", label: "Fit" },
  { view: "measure", label: "Measure" },
  { view: "marks", label: "Local coordinates" },
  { view: "models", label: "Models" },
  { view: "history", label: "History" },
  { view: "use", label: "Use" },
] as const;

export type FitTab = (typeof VIEWS)[number]["view"];

export interface FitViewProps extends ViewProps {
  fit: Schemas["FitView"];
  onView: (view: FitTab) => void;
}
