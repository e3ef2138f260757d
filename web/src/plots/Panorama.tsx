import type { Schemas } from "../api/client";

type Satellite = Schemas["SatelliteUse"];

const WIDTH = 1080;
const HEIGHT = 300;
const TOP = 14;
const FOOT = 34;
const SIDES = ["N", "NE", "E", "SE", "S", "SW", "W", "NW", "N"];

const x = (azimuth: number) => (azimuth / 360) * WIDTH;
const y = (elevation: number) => TOP + (1 - elevation / 90) * (HEIGHT - TOP - FOOT);
/** 25 dB-Hz small, 50 dB-Hz large. */
const size = (strength: number | null) => (strength === null ? 5 : 4 + (6 * Math.min(25, Math.max(0, strength - 25))) / 25);

/** The sky unrolled: azimuth across, elevation up; satellites by constellation (shape), use (filled or not) and strength (size). */
export function Panorama(props: {
  sky: Schemas["SkyUse"];
  maskDeg: number;
  obstructed: Schemas["Cell"][];
  chosen: string | null;
  onChoose: (key: string) => void;
}) {
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="h-full w-full" role="group" aria-label="Satellites over azimuth and elevation">
      <defs>
        <pattern id="hidden" width="8" height="8" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <rect width="8" height="8" fill="var(--lath)" opacity="0.35" />
          <path d="M0 0V8" stroke="var(--grain)" strokeWidth="3" />
        </pattern>
      </defs>
      {props.obstructed.map((cell) => (
        <rect
          key={`${cell.azimuth_from_deg} ${cell.elevation_from_deg}`}
          x={x(cell.azimuth_from_deg)}
          y={y(cell.elevation_to_deg)}
          width={x(cell.azimuth_to_deg - cell.azimuth_from_deg)}
          height={y(cell.elevation_from_deg) - y(cell.elevation_to_deg)}
          fill="url(#hidden)"
        />
      ))}
      {[30, 60].map((elevation) => (
        <g key={elevation}>
          <path d={`M0 ${y(elevation)}H${WIDTH}`} stroke="var(--line)" />
          <text x="4" y={y(elevation) - 4} fontSize="16" fill="var(--faded)">
            {elevation}°
          </text>
        </g>
      ))}
      {SIDES.map((side, n) => (
        <g key={n}>
          <path d={`M${(n * WIDTH) / 8} ${y(0)}v-6`} stroke="var(--ink)" strokeWidth="2" />
          <text x={Math.min(WIDTH - 14, Math.max(14, (n * WIDTH) / 8))} y={HEIGHT - 10} fontSize="20" fontWeight="700" textAnchor="middle" fill="var(--ink)">
            {side}
          </text>
        </g>
      ))}
      <path d={`M0 ${y(0)}H${WIDTH}`} stroke="var(--ink)" strokeWidth="2.5" />
      <path d={`M0 ${y(props.maskDeg)}H${WIDTH}`} stroke="var(--grain)" strokeWidth="2" strokeDasharray="10 6" />
      <text x="4" y={y(props.maskDeg) + 16} fontSize="16" fill="var(--grain)">
        mask {props.maskDeg}°
      </text>
      {props.sky.satellites.map((item) => (
        <Mark key={keyOf(item)} item={item} chosen={keyOf(item) === props.chosen} onChoose={() => props.onChoose(keyOf(item))} />
      ))}
    </svg>
  );
}

export const keyOf = (item: Satellite) => `${item.constellation} ${item.number}`;

function Mark({ item, chosen, onChoose }: { item: Satellite; chosen: boolean; onChoose: () => void }) {
  const at = { x: x(item.azimuth_deg), y: y(Math.max(0, item.elevation_deg)) };
  const strength = item.cnr_dbhz === null ? "no signal" : `${item.cnr_dbhz.toFixed(0)} dB-Hz`;
  return (
    <g
      transform={`translate(${at.x} ${at.y})`}
      role="button"
      tabIndex={0}
      aria-pressed={chosen}
      aria-label={`${item.constellation} ${item.number}, ${strength}, ${item.use}`}
      onClick={onChoose}
      onKeyDown={(event) => (event.key === "Enter" || event.key === " ") && onChoose()}
    >
      <circle r="20" fill="transparent" />
      {chosen && <circle r="17" fill="none" stroke="var(--flag)" strokeWidth="3" />}
      {item.use === "no signal" ? (
        <path d="M-6 -6L6 6M6 -6L-6 6" stroke="var(--faded)" strokeWidth="2.5" />
      ) : (
        <Shape
          constellation={item.constellation}
          size={size(item.cnr_dbhz)}
          fill={item.use === "used" ? "var(--checked)" : "var(--page)"}
          stroke={item.use === "used" ? "var(--checked)" : "var(--ink)"}
        />
      )}
    </g>
  );
}

/** The shape of a constellation. */
export function Shape(props: { constellation: string; size: number; fill: string; stroke: string }) {
  const { size: r } = props;
  const paint = { fill: props.fill, stroke: props.stroke, strokeWidth: 2.5 };
  if (props.constellation === "GLONASS") return <rect x={-r} y={-r} width={2 * r} height={2 * r} {...paint} />;
  if (props.constellation === "Galileo") return <path d={`M0 ${-1.25 * r}L${1.2 * r} ${r}H${-1.2 * r}Z`} {...paint} />;
  if (props.constellation === "BeiDou") return <path d={`M0 ${-1.35 * r}L${1.35 * r} 0L0 ${1.35 * r}L${-1.35 * r} 0Z`} {...paint} />;
  return <circle r={r * 1.05} {...paint} />;
}
