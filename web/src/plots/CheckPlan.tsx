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
const MARGIN = 56;

export function CheckPlan(props: { base: { name: string; eastM: number; northM: number }; marks: PlannedPlace[]; ringM: number; ringWords: string; next: string | null }) {
  const { base, marks } = props;
  const reach = Math.max(1, ...marks.map((mark) => Math.max(Math.abs(mark.eastM - base.eastM), Math.abs(mark.northM - base.northM))));
  const scale = (SIZE / 2 - MARGIN) / reach;
  const x = (eastM: number) => SIZE / 2 + (eastM - base.eastM) * scale;
  const y = (northM: number) => SIZE / 2 - (northM - base.northM) * scale;
  const ring = props.ringM * scale;
  return (
    <svg viewBox={`0 0 ${SIZE} ${SIZE}`} className="h-full w-full" role="img" aria-label="Marks of the plan about the base">
      {ring > 20 && ring < SIZE && (
        <>
          <circle cx={SIZE / 2} cy={SIZE / 2} r={ring} fill="none" stroke="var(--grain)" strokeWidth="1.5" strokeDasharray="6 5" />
          <text x={SIZE / 2} y={Math.max(14, SIZE / 2 - ring - 4)} fontSize="13" textAnchor="middle" fill="var(--faded)">
            {props.ringWords}
          </text>
        </>
      )}
      {marks.map((mark) => (
        <path key={mark.id} d={`M${SIZE / 2} ${SIZE / 2}L${x(mark.eastM)} ${y(mark.northM)}`} stroke="var(--line)" strokeWidth="1.5" />
      ))}
      <path d={`M${SIZE / 2 - 8} ${SIZE / 2 + 7}h16l-8-15z`} fill="var(--lath)" stroke="var(--ink)" strokeWidth="1.5" />
      <text x={SIZE / 2} y={SIZE / 2 + 23} fontSize="14" textAnchor="middle" fill="var(--faded)">
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
