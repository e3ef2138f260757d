import { useState } from "react";
import type { Schemas } from "../../api/client";
import { Tabs, useView } from "../../ui/Tabs";
import { AboutView } from "./AboutView";
import { ControlImport } from "./ControlImport";
import { ControlView } from "./ControlView";
import { PlanView } from "./PlanView";
import { SystemView } from "./SystemView";

const VIEWS = [
  { view: "control", label: "Control" },
  { view: "plan", label: "Plan" },
  { view: "system", label: "System" },
  { view: "about", label: "About" },
] as const;

/** The job: its control list, its plan, its system and what it is about. */
export function JobPage({ job }: { job: Schemas["JobView"] }) {
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  const [file, setFile] = useState<File | null>(null);
  if (file) return <ControlImport job={job} file={file} onClose={() => setFile(null)} />;
  const tabs = <Tabs views={VIEWS} value={view} onChange={setView} />;
  if (view === "plan") return <PlanView job={job} tabs={tabs} />;
  if (view === "system") return <SystemView key={job.settings_id} job={job} tabs={tabs} />;
  if (view === "about") return <AboutView key={job.settings_id} job={job} tabs={tabs} />;
  return <ControlView job={job} tabs={tabs} onFile={setFile} />;
}
