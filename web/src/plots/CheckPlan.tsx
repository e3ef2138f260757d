/** The marks of a plan of checks about their base, north up: which are proven, which are due. */
import { STATE_COLOUR, type State } from "../ui/StateMark";

export interface PlannedPlace {
  id: string;
  name: string;
  eastM: number;
  northM: number;
  state: State;
}

const SIZE = 300;
const MARGIN = 44;

export function CheckPlan(props: { base: { name: string; eastM: number; northM: number }; marks: PlannedPlace[]; ringM: number; ringWords: string; next: string | null }) {
  const { base, marks } = props;
  const places = [base, ...marks];
  const [west, east] = [Math.min(...places.map((item) => item.eastM)), Math.max(...places.map((item) => item.eastM))];
  const [south, north] = [Math.min(...places.map((item) => item.northM)), Math.max(...places.map((item) => item.northM))];
  const scale = (SIZE - 2 * MARGIN) / Math.max(1, east - west, north - south);
  const x = (eastM: number) => SIZE / 2 + (eastM - (west + east) / 2) * scale;
  const y = (northM: number) => SIZE / 2 - (northM - (south + north) / 2) * scale;
  const [baseX, baseY] = [x(base.eastM), y(base.northM)];
  const ring = props.ringM * scale;
  // The ring is named where it lies on the picture and farthest from the marks.
  const free = Array.from({ length: 16 }, (_, n) => (n * Math.PI) / 8)
    .map((turn) => ({ x: baseX + (ring + 12) * Math.sin(turn), y: baseY - (ring + 12) * Math.cos(turn) }))
    .filter((place) => place.x > 20 && place.x < SIZE - 20 && place.y > 14 && place.y < SIZE - 6)
    .map((place) => ({ place, near: Math.min(...places.map((item) => Math.hypot(x(item.eastM) - place.x, y(item.northM) - place.y))) }))
    .sort((one, other) => other.near - one.near)[0]?.place;
  return (
    <svg viewBox={`0 0 ${SIZE} ${SIZE}`} className="h-full w-full" role="img" aria-label="Marks of the plan about the base">
      {free && ring > 20 && ring < SIZE && (
        <>
          <circle cx={baseX} cy={baseY} r={ring} fill="none" stroke="var(--grain)" strokeWidth="1.5" strokeDasharray="6 5" />
          <text {...free} fontSize="13" textAnchor="middle" fill="var(--faded)">
            {props.ringWords}
          </text>
        </>
      )}
      {marks.map((mark) => (
        <path key={mark.id} d={`M${baseX} ${baseY}L${x(mark.eastM)} ${y(mark.northM)}`} stroke="var(--line)" strokeWidth="1.5" />
      ))}
      <path d={`M${baseX - 8} ${baseY + 7}h16l-8-15z`} fill="var(--lath)" stroke="var(--ink)" strokeWidth="1.5" />
      <text x={baseX} y={baseY + 23} fontSize="14" textAnchor="middle" fill="var(--faded)">
        base on {base.name}
      </text>
      {marks.map((mark) => {
        const done = mark.state === "checked";
        const colour = STATE_COLOUR[mark.state];
        return (
          <g key={mark.id}>
            {mark.id === props.next && <circle cx={x(mark.eastM)} cy={y(mark.northM)} r="17" fill="none" stroke="var(--act)" strokeWidth="3" />}
            <circle cx={x(mark.eastM)} cy={y(mark.northM)} r="10" fill={done ? colour : "var(--page)"} stroke={colour} strokeWidth="3" strokeDasharray={mark.state === "entered" ? "5 3" : undefined} />
            {done && <path d={`M${x(mark.eastM) - 5} ${y(mark.northM)}l4 4 6-8`} fill="none" stroke="var(--page)" strokeWidth="2.5" />}
            {mark.state === "disagrees" && <path d={`M${x(mark.eastM) + 4} ${y(mark.northM) - 6}l-8 12`} stroke={colour} strokeWidth="3" />}
            <text x={x(mark.eastM)} y={y(mark.northM) - 18} fontSize="16" fontWeight="700" textAnchor="middle" fill="var(--ink)">
              {mark.name}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
