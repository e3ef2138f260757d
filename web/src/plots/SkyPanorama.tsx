import { useRef, useState, type KeyboardEvent, type PointerEvent, type ReactNode } from "react";
import type { Schemas } from "../api/client";
import { drawn, STEP_DEG, type Direction } from "../lib/skyline";
import { Shape } from "./Panorama";
import { useWidth } from "./width";

type Arc = Schemas["Arc"];

const TOP = 10;
const FOOT = 30;
/** The tail of a satellite: where it came from in the last hour. */
const TAIL_STEPS = 6;
const SIDES = ["N", "NE", "E", "SE", "S", "SW", "W", "NW", "N"];

/** A skyline in the picture: whose it is, how it is hatched, its height every two degrees. */
export interface Drawn {
  name: string;
  heights: readonly number[];
}

/**
 * The sky unrolled over a day: azimuth across, elevation up; the ways of the satellites, where they stand at one step, and the
 * skylines of both ends before them. Where `onDraw` is given a finger, the mouse or the arrow keys draw the last skyline.
 */
export function SkyPanorama(props: {
  arcs: Arc[];
  step: number;
  maskDeg: number;
  skylines: Drawn[];
  nominal: boolean;
  chosen: string | null;
  onChoose: (satellite: string) => void;
  under?: string | undefined;
  onDraw?: ((heights: number[]) => void) | undefined;
}) {
  const [box, width] = useWidth<HTMLDivElement>();
  const height = props.onDraw ? 330 : width < 600 ? 270 : 256;
  const x = (azimuth: number) => (azimuth / 360) * width;
  const y = (elevation: number) => TOP + (1 - elevation / 90) * (height - TOP - FOOT);
  const { cursor, ...pen } = usePen(props, { x: width / 360, top: TOP, y: (height - TOP - FOOT) / 90 });
  const place: Place = { x, y };
  return (
    <div ref={box} className="relative w-full" style={{ height }}>
      {width > 0 && (
        <svg
          width={width}
          height={height}
          className={`block select-none ${props.onDraw ? "cursor-crosshair touch-none" : ""}`}
          role={props.onDraw ? "application" : "group"}
          aria-label={props.onDraw ? "Skyline being drawn: arrow keys move and raise it" : "Satellites over azimuth and elevation"}
          {...pen}
        >
          <Hatches />
          {props.under && <image href={props.under} x={0} y={y(90)} width={width} height={y(0) - y(90)} preserveAspectRatio="none" />}
          <Ways arcs={props.arcs} place={place} />
          {props.skylines.map((line, n) => (
            <Skyline key={line.name} line={line} place={place} hatch={n === 0 ? "hatch-base" : "hatch-rover"} clear={props.under !== undefined} />
          ))}
          <Scale place={place} width={width} height={height} maskDeg={props.maskDeg} />
          {!props.onDraw &&
            props.arcs.map((arc) => (
              <Satellite key={`${arc.satellite} ${arc.first}`} arc={arc} step={props.step} place={place} chosen={arc.satellite === props.chosen} onChoose={() => props.onChoose(arc.satellite)} />
            ))}
          {props.nominal && (
            <text x={width - 8} y={TOP + 16} fontSize="16" fontWeight="700" textAnchor="end" fill="var(--flag)" stroke="var(--page)" strokeWidth="5" paintOrder="stroke">
              nominal, to practise
            </text>
          )}
          {props.onDraw && <Cursor at={cursor} place={place} heights={props.skylines[props.skylines.length - 1]?.heights} />}
        </svg>
      )}
    </div>
  );
}

interface Place {
  x: (azimuth: number) => number;
  y: (elevation: number) => number;
}

function Hatches() {
  return (
    <defs>
      {[
        { id: "hatch-base", turn: 45, colour: "var(--grain)" },
        { id: "hatch-rover", turn: -45, colour: "var(--faded)" },
      ].map((hatch) => (
        <pattern key={hatch.id} id={hatch.id} width="9" height="9" patternUnits="userSpaceOnUse" patternTransform={`rotate(${hatch.turn})`}>
          <rect width="9" height="9" fill="var(--lath)" opacity="0.28" />
          <path d="M0 0V9" stroke={hatch.colour} strokeWidth="3" />
        </pattern>
      ))}
    </defs>
  );
}

function Scale({ place, width, height, maskDeg }: { place: Place; width: number; height: number; maskDeg: number }) {
  const { x, y } = place;
  return (
    <g>
      {[30, 60].map((elevation) => (
        <g key={elevation}>
          <path d={`M0 ${y(elevation)}H${width}`} stroke="var(--line)" />
          <text x="4" y={y(elevation) - 4} fontSize="15" fill="var(--faded)">
            {elevation}°
          </text>
        </g>
      ))}
      {SIDES.map((side, n) =>
        width < 600 && n % 2 === 1 ? null : (
          <g key={n}>
            <path d={`M${x(45 * n)} ${y(0)}v-6`} stroke="var(--ink)" strokeWidth="2" />
            <text x={Math.min(width - 10, Math.max(10, x(45 * n)))} y={height - 8} fontSize="18" fontWeight="700" textAnchor="middle" fill="var(--ink)">
              {side}
            </text>
          </g>
        ),
      )}
      <path d={`M0 ${y(0)}H${width}`} stroke="var(--ink)" strokeWidth="2.5" />
      <path d={`M0 ${y(maskDeg)}H${width}`} stroke="var(--grain)" strokeWidth="2" strokeDasharray="10 6" />
      <text x="4" y={y(maskDeg) - 4} fontSize="15" fill="var(--ink)">
        mask {maskDeg}°
      </text>
    </g>
  );
}

/** A line from place to place, broken where it goes round north. */
function wayOf(arc: Arc, place: Place, from: number, to: number): string {
  let path = "";
  for (let n = from; n < to; n++) {
    const azimuth = arc.azimuths_deg[n]!;
    const round = n === from || Math.abs(azimuth - arc.azimuths_deg[n - 1]!) > 180;
    path += `${round ? "M" : "L"}${place.x(azimuth).toFixed(1)} ${place.y(arc.elevations_deg[n]!).toFixed(1)}`;
  }
  return path;
}

function Ways({ arcs, place }: { arcs: Arc[]; place: Place }) {
  return <path d={arcs.map((arc) => wayOf(arc, place, 0, arc.azimuths_deg.length)).join("")} fill="none" stroke="var(--line)" strokeWidth="1" opacity="0.7" />;
}

function Skyline({ line, place, hatch, clear }: { line: Drawn; place: Place; hatch: string; clear: boolean }) {
  if (line.heights.every((height) => height === 0)) return null;
  const top = line.heights.map((height, n) => `L${place.x(n * STEP_DEG).toFixed(1)} ${place.y(height).toFixed(1)}`).join("");
  return (
    <g role="img" aria-label={`Skyline of ${line.name}`} data-skyline={line.name}>
      <path d={`M${place.x(0)} ${place.y(0)}${top}L${place.x(360)} ${place.y(0)}Z`} fill={clear ? "none" : `url(#${hatch})`} stroke="var(--ink)" strokeWidth={clear ? 3.5 : 1.5} />
    </g>
  );
}

/** Who sees a satellite, by the letter that is sent. */
export const SEEN_BY: Record<string, string> = { c: "seen by base and rover", b: "seen by the base, not by the rover", r: "seen by the rover, not by the base", n: "seen by neither" };

function Satellite({ arc, step, place, chosen, onChoose }: { arc: Arc; step: number; place: Place; chosen: boolean; onChoose: () => void }) {
  const at = step - arc.first;
  if (at < 0 || at >= arc.azimuths_deg.length) return null;
  const who = arc.seen_by[at] ?? "n";
  const common = who === "c";
  return (
    <g
      role="button"
      tabIndex={0}
      aria-pressed={chosen}
      aria-label={`${arc.satellite}, ${SEEN_BY[who]}${arc.healthy ? "" : ", not healthy"}`}
      onClick={onChoose}
      onKeyDown={(event) => (event.key === "Enter" || event.key === " ") && onChoose()}
    >
      <path d={wayOf(arc, place, Math.max(0, at - TAIL_STEPS), at + 1)} fill="none" stroke={common ? "var(--checked)" : "var(--faded)"} strokeWidth="2" opacity="0.75" />
      <g transform={`translate(${place.x(arc.azimuths_deg[at]!)} ${place.y(arc.elevations_deg[at]!)})`}>
        <circle r="18" fill="transparent" />
        {chosen && <circle r="16" fill="none" stroke="var(--flag)" strokeWidth="3" />}
        {!arc.healthy ? (
          <path d="M-6 -6L6 6M6 -6L-6 6" stroke="var(--flag)" strokeWidth="3" />
        ) : (
          <Shape constellation={arc.constellation} size={6} fill={common ? "var(--checked)" : "var(--page)"} stroke={common ? "var(--checked)" : "var(--ink)"} />
        )}
      </g>
    </g>
  );
}

function Cursor({ at, place, heights }: { at: number; place: Place; heights: readonly number[] | undefined }): ReactNode {
  const height = heights?.[at] ?? 0;
  return (
    <g aria-hidden="true">
      <path d={`M${place.x(at * STEP_DEG)} ${place.y(0)}V${place.y(90)}`} stroke="var(--flag)" strokeWidth="1.5" strokeDasharray="4 4" />
      <circle cx={place.x(at * STEP_DEG)} cy={place.y(height)} r="6" fill="var(--flag)" />
      <text x={Math.min(place.x(360) - 90, place.x(at * STEP_DEG) + 8)} y={place.y(90) + 42} fontSize="16" fontWeight="700" fill="var(--flag)">
        {at * STEP_DEG}°, {Math.round(height)}° up
      </text>
    </g>
  );
}

/** What draws: a finger or the mouse goes over the picture, or arrow keys move along the line and raise it. */
function usePen(props: Parameters<typeof SkyPanorama>[0], scale: { x: number; top: number; y: number }) {
  const last = useRef<Direction | null>(null);
  const heights = props.skylines[props.skylines.length - 1]?.heights ?? [];
  const [cursor, setCursor] = useState(90);
  const { onDraw } = props;
  if (!onDraw) return { cursor: 0 };
  const at = (event: PointerEvent<SVGSVGElement>): Direction => {
    const box = event.currentTarget.getBoundingClientRect();
    return {
      azimuth: Math.min(360, Math.max(0, (event.clientX - box.left) / scale.x)),
      elevation: Math.min(90, Math.max(0, 90 - (event.clientY - box.top - scale.top) / scale.y)),
    };
  };
  const go = (event: PointerEvent<SVGSVGElement>) => {
    const now = at(event);
    setCursor(Math.round(now.azimuth / STEP_DEG));
    onDraw(drawn(heights, last.current ?? now, now));
    last.current = now;
  };
  return {
    cursor,
    tabIndex: 0,
    onPointerDown: (event: PointerEvent<SVGSVGElement>) => {
      event.currentTarget.setPointerCapture(event.pointerId);
      last.current = null;
      go(event);
    },
    onPointerMove: (event: PointerEvent<SVGSVGElement>) => last.current && go(event),
    onPointerUp: () => (last.current = null),
    onPointerCancel: () => (last.current = null),
    onKeyDown: (event: KeyboardEvent<SVGSVGElement>) => {
      const move = { ArrowLeft: -1, ArrowRight: 1 }[event.key] ?? 0;
      const raise = { ArrowUp: 1, ArrowDown: -1 }[event.key] ?? 0;
      if (!move && !raise) return;
      event.preventDefault();
      const next = Math.min(360 / STEP_DEG, Math.max(0, cursor + move));
      setCursor(next);
      // With Shift the line goes along as high as it was.
      if (!raise && !event.shiftKey) return;
      const here = { azimuth: next * STEP_DEG, elevation: Math.min(90, Math.max(0, Math.round(heights[cursor] ?? 0) + raise)) };
      onDraw(drawn(heights, here, here));
    },
  };
}
