/** Marks of a local fit in local coordinates, north up: residuals as long arrows, the hull, what the fit gives as a wash. */
import type { Schemas } from "../api/client";
import { STATE_COLOUR, type State } from "../ui/StateMark";
import { AccuracyCells, accuracyExtent, AccuracyLegend } from "./AccuracyMap";

export interface FitPlace {
  id: string;
  name: string;
  eastM: number;
  northM: number;
  state: State;
  used: boolean;
  /** Whether its arrow is a residual of the fit; else the difference of a mark that is not in it. */
  inside: boolean;
  arrow: [number, number] | null;
}

const WIDTH = 640;
const HIGHEST = 360;
const LOWEST = 200;

/** The largest of 1, 2 or 5 times a power of ten that is not larger. */
function roundDown(value: number): number {
  const power = 10 ** Math.floor(Math.log10(value));
  return [5, 2, 1].map((step) => step * power).find((step) => step <= value) ?? power;
}

export function FitPlan(props: {
  marks: FitPlace[];
  hull: readonly { east_m: number; north_m: number }[];
  wash: Schemas["AccuracyMap"] | null;
  picked: string | null;
  onPick: (id: string) => void;
  /** A length in words, for the legend; and how many metres the unit has. */
  write: (metres: number) => string;
  unit: { metres: number; sign: string };
}) {
  const { marks, wash } = props;
  const east = marks.map((mark) => mark.eastM);
  const north = marks.map((mark) => mark.northM);
  const [west, far, south, high] = wash ? accuracyExtent(wash) : [Math.min(...east), Math.max(...east), Math.min(...north), Math.max(...north)];
  const margin = wash ? 8 : 60;
  const scale = Math.min((WIDTH - 2 * margin) / Math.max(far - west, 1), (HIGHEST - 2 * margin) / Math.max(high - south, 1));
  // A site along a road is a low picture.
  const height = Math.max(LOWEST, (high - south) * scale + 2 * margin);
  const x = (eastM: number) => WIDTH / 2 + (eastM - (west + far) / 2) * scale;
  const y = (northM: number) => height / 2 - (northM - (south + high) / 2) * scale;
  const longest = Math.max(0, ...marks.map((mark) => (mark.arrow ? Math.hypot(...mark.arrow) : 0)));
  const larger = longest > 0 ? roundDown(70 / scale / longest) : 0;
  const bar = roundDown(120 / scale / props.unit.metres);
  return (
    <figure className="rounded border-2 border-line bg-page">
      <svg viewBox={`0 0 ${WIDTH} ${height}`} className="block w-full" role="group" aria-label="Plan of the fit">
        {wash && <AccuracyCells wash={wash} x={x} y={y} scale={scale} />}
        {props.hull.length > 1 && (
          <path d={`M${props.hull.map((corner) => `${x(corner.east_m)} ${y(corner.north_m)}`).join("L")}Z`} fill="none" stroke="var(--ink)" strokeWidth="1.5" strokeDasharray="7 5" />
        )}
        {marks.map((mark) => {
          const [px, py] = [x(mark.eastM), y(mark.northM)];
          const colour = STATE_COLOUR[mark.state];
          const tip = mark.arrow && larger ? ([px + mark.arrow[0] * larger * scale, py - mark.arrow[1] * larger * scale] as const) : null;
          return (
            <MarkSign key={mark.id} mark={mark} picked={mark.id === props.picked} onPick={props.onPick} px={px} py={py} tip={tip} colour={colour} />
          );
        })}
        <path d={`M${WIDTH - 24} 44V14m-7 10l7-11 7 11`} fill="none" stroke="var(--ink)" strokeWidth="2.5" />
        <path d={`M16 ${height - 22}v6h${bar * props.unit.metres * scale}v-6`} fill="none" stroke="var(--ink)" strokeWidth="2.5" />
        <text x="20" y={height - 24} fontSize="14" fill="var(--ink)" stroke="var(--page)" strokeWidth="3" paintOrder="stroke">
          {Number(bar.toPrecision(3))} {props.unit.sign}
        </text>
      </svg>
      {(larger > 0 || wash) && <figcaption className="flex flex-wrap items-center gap-x-5 gap-y-1 border-t-2 border-line px-3 py-1 text-base">
        {larger > 0 && <span>arrows: residuals (dotted: not in the fit), {Number(larger.toPrecision(3))} times as long</span>}
        {wash && <AccuracyLegend wash={wash} what="the fit gives, 95 %:" write={props.write} />}
      </figcaption>}
    </figure>
  );
}

/** A mark of the fit with its residual, exaggerated. */
function MarkSign(props: {
  mark: FitPlace;
  picked: boolean;
  onPick: (id: string) => void;
  px: number;
  py: number;
  tip: readonly [number, number] | null;
  colour: string;
}) {
  const { mark, px, py, tip, colour } = props;
  return (
    <g role="button" tabIndex={0} aria-label={`${mark.name}, ${mark.state}`} className="cursor-pointer" onClick={() => props.onPick(mark.id)} onKeyDown={(event) => event.key === "Enter" && props.onPick(mark.id)}>
      <circle cx={px} cy={py} r="22" fill="transparent" />
      {props.picked && <circle cx={px} cy={py} r="17" fill="none" stroke="var(--act)" strokeWidth="3" />}
      {tip && (
        <>
          <path d={`M${px} ${py}L${tip[0]} ${tip[1]}`} stroke={colour} strokeWidth="3" strokeDasharray={mark.inside ? undefined : "5 4"} />
          <circle cx={tip[0]} cy={tip[1]} r="4" fill={colour} />
        </>
      )}
      <path
        d={`M${px} ${py - 10}l9.5 16h-19z`}
        fill={mark.used ? colour : "var(--page)"}
        stroke={mark.used ? "var(--page)" : colour}
        strokeWidth={mark.used ? 1.5 : 2.5}
        strokeDasharray={mark.state === "missing" ? "4 3" : undefined}
      />
      {mark.state === "disagrees" && <path d={`M${px - 13} ${py + 11}l26 -22`} stroke={colour} strokeWidth="3" />}
      <text x={px} y={py + 26} fontSize="17" fontWeight="700" textAnchor="middle" fill="var(--ink)" stroke="var(--page)" strokeWidth="4" paintOrder="stroke">
        {mark.name}
      </text>
    </g>
  );
}
