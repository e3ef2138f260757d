import { sentenceOf, type Schemas } from "../../api/client";
import { useCompareSky, useSkySeen } from "../../api/sky";
import { CardTable } from "../../ui/CardTable";
import { Button, Note } from "../../ui/controls";
import { MarkPicker, useMarkNamed } from "../../ui/marks";
import { Page } from "../../ui/Page";
import type { SkyProps } from "./props";

/** The sky that is expected now against what is sent, heard and used: what is missing has a cause. */
export function SeenView({ job, tabs, shown: day, ask }: SkyProps) {
  const rover_mark_id = day.rover.mark_id ?? "";
  const seen = useSkySeen(job.id, rover_mark_id);
  const compare = useCompareSky(job.id);
  const stands = useMarkNamed(job.id, rover_mark_id && day.rover.name);
  const shown = seen.data?.shown ?? null;
  const odd = shown?.satellites.filter((item) => item.is_odd) ?? [];
  const rest = shown?.satellites.filter((item) => !item.is_odd) ?? [];
  return (
    <Page
      title="Expected, seen"
      why="What elements, masks and skylines let both ends see, against what is sent and used."
      tabs={tabs}
      aside={compare.isError ? <p role="alert" className="font-semibold text-flag">{sentenceOf(compare.error)}</p> : <LastTime shown={shown} />}
      action={
        <Button kind="primary" large disabled={!shown?.may_compare || compare.isPending} onClick={() => compare.mutate({ rover_mark_id })}>
          Compare now
        </Button>
      }
    >
      {seen.isError && <Note tone="flag">{sentenceOf(seen.error)}</Note>}
      {seen.data?.lacks && <Note>{seen.data.lacks}</Note>}
      {shown && (
        <div className="flex flex-col gap-3">
          <div className="flex flex-wrap items-end justify-between gap-x-8 gap-y-2">
            <p className="text-6xl leading-none font-bold small:text-5xl" data-testid="used-of-expected">
              {shown.used ?? "–"} <span className="text-2xl font-semibold">of {shown.expected} expected are used</span>
            </p>
            <div className="w-56 hand:w-full">
              <MarkPicker jobId={job.id} label="The rover stands on" value={stands} onPick={(mark) => ask({ rover_mark_id: mark.id })} />
            </div>
          </div>
          <p className="text-lg">
            {shown.words} <span className="text-faded">Orbits: {shown.sky}.</span>
          </p>
          {odd.length > 0 && <Satellites title="Not as expected" satellites={odd} />}
          {rest.length > 0 && <Satellites title={odd.length > 0 ? "All others" : "Above the rover's horizon"} satellites={rest} />}
        </div>
      )}
    </Page>
  );
}

/** What the newest comparison came to, as it was sent. */
function LastTime({ shown }: { shown: Schemas["SkySeen"] | null }) {
  return <p className={shown?.last_is_open ? "font-semibold text-flag" : "text-faded"}>{shown?.last_words}</p>;
}

const YES: Record<string, string> = { true: "yes", false: "no", null: "–" };

function Satellites({ title, satellites }: { title: string; satellites: Schemas["SatelliteAgainst"][] }) {
  return (
    <section aria-label={title}>
      <h2 className="text-xl font-bold">{title}</h2>
      <CardTable className="w-full border-2 border-line bg-page text-lg">
        <thead>
          <tr className="border-b-2 border-line text-left text-base text-faded">
            {["satellite", "up", "azimuth", "expected", "sent", "used", "why"].map((head) => (
              <th key={head} className="px-3 font-normal">
                {head}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {satellites.map((item) => (
            <tr key={item.satellite} className="h-9 border-b border-line">
              <th className="px-3 text-left">{item.satellite}</th>
              <td className="px-3">{item.elevation_deg.toFixed(0)}°</td>
              <td className="px-3">{item.azimuth_deg.toFixed(0)}°</td>
              <td className="px-3">{item.expected ? "yes" : "no"}</td>
              <td className="px-3">{YES[String(item.sent)]}</td>
              <td className="px-3">{YES[String(item.used)]}</td>
              <td className={`px-3 ${item.is_odd ? "font-semibold text-flag" : "text-faded"}`}>{item.unexpected || item.words}</td>
            </tr>
          ))}
        </tbody>
      </CardTable>
    </section>
  );
}
