import type { Schemas } from "../../api/client";
import { Tabs, useView } from "../../ui/Tabs";
import { DaysView } from "./DaysView";
import { LinesView } from "./LinesView";
import { TakeHomeView } from "./TakeHomeView";

const VIEWS = [
  { view: "lines", label: "Lines" },
  { view: "days", label: "Days" },
  { view: "take-home", label: "Take home" },
] as const;

/** Book: the record that stands, days signed off, and what goes home. */
export function BookPage({ job }: { job: Schemas["JobView"] }) {
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  const tabs = <Tabs views={VIEWS} value={view} onChange={setView} />;
  if (view === "days") return <DaysView job={job} tabs={tabs} />;
  if (view === "take-home") return <TakeHomeView job={job} tabs={tabs} />;
  return <LinesView job={job} tabs={tabs} />;
}
