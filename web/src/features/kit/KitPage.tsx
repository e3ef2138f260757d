import type { Schemas } from "../../api/client";
import { Tabs, useView } from "../../ui/Tabs";
import { BenchView } from "./BenchView";
import { GearView } from "./GearView";
import { PackingView } from "./PackingView";
import { ProfilesView } from "./ProfilesView";

const VIEWS = [
  { view: "profiles", label: "Profiles" },
  { view: "packing", label: "Packing" },
  { view: "gear", label: "Gear" },
  { view: "bench", label: "Bench test" },
] as const;

/** The kit: profiles for both ends, what to pack, and the gear it is made of. */
export function KitPage({ job }: { job: Schemas["JobView"] }) {
  const [view, setView] = useView(VIEWS.map((item) => item.view));
  const tabs = <Tabs views={VIEWS} value={view} onChange={setView} />;
  if (view === "packing") return <PackingView job={job} tabs={tabs} />;
  if (view === "gear") return <GearView job={job} tabs={tabs} />;
  if (view === "bench") return <BenchView job={job} tabs={tabs} />;
  return <ProfilesView job={job} tabs={tabs} />;
}
