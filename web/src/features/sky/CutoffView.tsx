import { sentenceOf, type Schemas } from "../../api/client";
import { useSkySeen } from "../../api/sky";
import { Note } from "../../ui/controls";
import { FindingList } from "../../ui/findings";
import { Page } from "../../ui/Page";
import type { SkyProps } from "./props";

/** The masks of both ends and of the job beside the lowest satellites that are sent and used. */
export function CutoffView({ job, tabs, shown: day }: SkyProps) {
  const seen = useSkySeen(job.id, day.rover.mark_id ?? "");
  const shown = seen.data?.shown ?? null;
  return (
    <Page title="Cut-off" why="Low satellites bring multipath and a long way through the air: where each end cuts them off, and whether it does." tabs={tabs}>
      {seen.isError && <Note tone="flag">{sentenceOf(seen.error)}</Note>}
      {seen.data?.lacks && <Note>{seen.data.lacks}</Note>}
      {shown && (
        <div className="flex flex-col gap-4">
          <ul className="grid grid-cols-1 gap-2 rounded border-2 border-line bg-page p-4" aria-label="Elevations">
            {shown.masks.map((row) => (
              <Row key={row.words} row={row} />
            ))}
          </ul>
          <FindingList findings={shown.findings} />
          {shown.masks_words && <p className="text-lg">{shown.masks_words}</p>}
        </div>
      )}
    </Page>
  );
}

const MOST_DEG = 45;

function Row({ row }: { row: Schemas["MaskRow"] }) {
  return (
    <li className="grid grid-cols-[15rem_minmax(0,1fr)_5rem] items-center gap-x-4 small:grid-cols-[minmax(0,1fr)_5rem]">
      <span className="text-lg">{row.words}</span>
      <span className="relative h-6 rounded border border-line bg-paper small:hidden" aria-hidden>
        {row.degrees !== null && <span className="absolute inset-y-0 left-0 rounded-l bg-lath" style={{ width: `${Math.min(100, (100 * row.degrees) / MOST_DEG)}%` }} />}
      </span>
      <b className="text-right text-3xl">{row.degrees === null ? "–" : `${row.degrees.toFixed(0)}°`}</b>
    </li>
  );
}
