/** The budget over the plan, north up: what a point at each mark would be good for, and the ground between them as a wash. */
import type { Schemas } from "../api/client";
import { AccuracyCells, accuracyExtent, AccuracyLegend } from "./AccuracyMap";

const WIDTH = 640;
const LOWEST = 200;
const HIGHEST = 380;

export function BudgetPlan(props: { over: Schemas["BudgetOver"]; write: (metres: number | null) => string }) {
  const { marks, wash, base } = props.over;
  if (!wash) return null;
  const [west, far, south, high] = accuracyExtent(wash);
  const scale = Math.min(WIDTH / (far - west), HIGHEST / (high - south));
  const height = Math.max(LOWEST, (high - south) * scale);
  const x = (eastM: number) => WIDTH / 2 + (eastM - (west + far) / 2) * scale;
  const y = (northM: number) => height / 2 - (northM - (south + high) / 2) * scale;
  return (
    <figure className="rounded border-2 border-line bg-page">
      <svg viewBox={`0 0 ${WIDTH} ${height}`} className="block w-full" role="img" aria-label={`Budget over the plan: ${marks.map((mark) => `${mark.name} ${props.write(mark.horizontal_95_m)}`).join(", ")}`}>
        <AccuracyCells wash={wash} x={x} y={y} scale={scale} />
        {marks.map((mark) => {
          const [px, py] = [x(mark.east_m), y(mark.north_m)];
          // Names near an edge are written towards the middle, the base's to the left: a near mark is often beside it.
          const end = px > WIDTH - 120 || mark.name === base;
          return (
            <g key={mark.name}>
              <path d={mark.name === base ? `M${px - 9} ${py + 8}L${px} ${py - 10}L${px + 9} ${py + 8}M${px} ${py - 10}v18` : `M${px - 7} ${py}h14m-7 -7v14`} fill="none" stroke="var(--ink)" strokeWidth="3" />
              <text x={px + (end ? -14 : 14)} y={py + 5} fontSize="16" fontWeight="700" textAnchor={end ? "end" : "start"} fill="var(--ink)" stroke="var(--page)" strokeWidth="4" paintOrder="stroke">
                {mark.name} {mark.name === base ? "(base)" : props.write(mark.horizontal_95_m)}
              </text>
            </g>
          );
        })}
      </svg>
      <figcaption className="border-t-2 border-line px-3 py-1 text-base">
        <AccuracyLegend wash={wash} what="horizontally, 95 %:" write={props.write} />
      </figcaption>
    </figure>
  );
}
