/** Nine stakes in a row joined by a cord: whole where a link is checked, dotted, missing, cut, grey. */
import { STATE_COLOUR, type State } from "../ui/StateMark";

export interface Stake {
  name: string;
  state: State;
}

const STEP = 118;
const TOP = 34;
const HEIGHT = 112;

export function Cord(props: { stakes: Stake[]; picked: string; weakest: string; onPick: (name: string) => void }) {
  const width = STEP * props.stakes.length;
  const x = (n: number) => STEP * (n + 0.5);
  return (
    <svg viewBox={`0 0 ${width} ${HEIGHT}`} className="block w-full" role="group" aria-label="The chain, link by link">
      {props.stakes.map((stake, n) => (n === 0 ? null : <Piece key={stake.name} from={x(n - 1)} to={x(n)} state={stake.state} />))}
      {props.stakes.map((stake, n) => {
        const colour = STATE_COLOUR[stake.state];
        const picked = stake.name === props.picked;
        return (
          <g
            key={stake.name}
            role="button"
            tabIndex={0}
            aria-pressed={picked}
            className="cursor-pointer"
            onClick={() => props.onPick(stake.name)}
            onKeyDown={(event) => (event.key === "Enter" || event.key === " ") && props.onPick(stake.name)}
          >
            <rect x={x(n) - STEP / 2 + 2} y="0" width={STEP - 4} height={HEIGHT} rx="4" fill={picked ? "var(--lath)" : "transparent"} opacity={picked ? 0.35 : 1} />
            <path d={`M${x(n) - 6} 12h12v42l-6 10-6-10z`} fill="var(--lath)" stroke="var(--grain)" strokeWidth="1.5" />
            <circle cx={x(n)} cy={TOP} r="11" fill={stake.state === "checked" ? colour : "var(--page)"} stroke={colour} strokeWidth="3" strokeDasharray={stake.state === "entered" ? "5 3" : undefined} />
            {stake.state === "checked" && <path d={`M${x(n) - 5} ${TOP}l4 4 7-8`} fill="none" stroke="var(--page)" strokeWidth="3" />}
            {stake.state === "disagrees" && <path d={`M${x(n) + 5} ${TOP - 8}l-10 16`} stroke={colour} strokeWidth="4" />}
            {stake.state === "missing" && <path d={`M${x(n) - 5} ${TOP}h10`} stroke={colour} strokeWidth="3" />}
            {stake.state === "out of date" && <path d={`M${x(n)} ${TOP - 6}v6l4 4`} fill="none" stroke={colour} strokeWidth="2.5" />}
            <text x={x(n)} y="84" fontSize="16" fontWeight="700" textAnchor="middle" fill="var(--ink)">
              {`${stake.name} `}
            </text>
            <text x={x(n)} y="103" fontSize="14" textAnchor="middle" fill={stake.state === "disagrees" ? "var(--flag)" : "var(--faded)"} fontWeight={stake.state === "disagrees" ? 700 : 400}>
              {stake.state}
              {stake.name === props.weakest && stake.state !== "disagrees" ? " (weakest)" : ""}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

/** The cord that ends at a link: it holds as well as that link does. */
function Piece({ from, to, state }: { from: number; to: number; state: State }) {
  const [a, b, y] = [from + 14, to - 14, TOP];
  if (state === "missing") return null;
  if (state === "disagrees")
    return <path d={`M${a} ${y}q${(b - a) / 5} 10 ${(b - a) * 0.38} 2M${b} ${y}q${-(b - a) / 5} 10 ${-(b - a) * 0.38} 2`} fill="none" stroke="var(--flag)" strokeWidth="4" />;
  const dash = state === "entered" ? "3 7" : state === "out of date" ? "10 6" : undefined;
  return <path d={`M${a} ${y}q${(b - a) / 2} 9 ${b - a} 0`} fill="none" stroke={state === "checked" ? "var(--checked)" : "var(--faded)"} strokeWidth="4" strokeLinecap="round" strokeDasharray={dash} />;
}
