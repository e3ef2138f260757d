/** What is had over a site at 95 %, as cells under a plan, and their legend. */
import type { Schemas } from "../api/client";

const SHADES = [0, 0.1, 0.22, 0.36, 0.5, 0.65];

const shade = (band: number) => SHADES[band] ?? 0.65;

export function AccuracyCells(props: { wash: Schemas["AccuracyMap"]; x: (eastM: number) => number; y: (northM: number) => number; scale: number }) {
  const { wash } = props;
  const cell = wash.step_m * props.scale;
  return wash.band.map((band, n) => (
    <rect
      key={n}
      x={props.x(wash.east_m) + (n % wash.columns) * cell}
      y={props.y(wash.north_m) - (Math.floor(n / wash.columns) + 1) * cell}
      width={cell}
      height={cell}
      shapeRendering="crispEdges"
      fill="var(--grain)"
      opacity={shade(band)}
    />
  ));
}

export function AccuracyLegend(props: { wash: Schemas["AccuracyMap"]; what: string; write: (metres: number) => string }) {
  const { wash } = props;
  const bands = [...new Set(wash.band)].sort((one, other) => one - other);
  return (
    <span className="flex flex-wrap items-center gap-2">
      {props.what}
      {bands.map((band) => (
        <span key={band} className="flex items-center gap-1">
          <svg width="16" height="16" aria-hidden="true">
            <rect width="16" height="16" fill="var(--page)" stroke="var(--line)" />
            <rect width="16" height="16" fill="var(--grain)" opacity={shade(band)} />
          </svg>
          {band < wash.bands_m.length ? `to ${props.write(wash.bands_m[band]!)}` : `beyond ${props.write(wash.bands_m[wash.bands_m.length - 1]!)}`}
        </span>
      ))}
    </span>
  );
}

/** The corners of a wash: west, east, south, north in metres. */
export function accuracyExtent(wash: Schemas["AccuracyMap"]): [number, number, number, number] {
  const rows = wash.band.length / wash.columns;
  return [wash.east_m, wash.east_m + wash.columns * wash.step_m, wash.north_m, wash.north_m + rows * wash.step_m];
}
