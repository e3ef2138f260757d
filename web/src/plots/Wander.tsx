export interface Wandering {
  eastM: number[];
  northM: number[];
  upM: number[];
  timeS: number[];
  /** How well the mean is determined at 95 %, horizontally: noise alone; null where there are too few. */
  precisionM: number | null;
  /** How far the mean may be off at 95 %, horizontally. */
  accuracyM: number;
}

const SIZE = 300;
const MOST_STRIP_LINES = [1, 0.5, 0.2, 0.1, 0.05, 0.02, 0.01];

/** An average as a picture: the wander within the ring of what to expect, and the three components over time. */
export function Wander({ of, write }: { of: Wandering; write: (metres: number) => string }) {
  return (
    <div className="grid grid-cols-1 sm:grid-cols-2 gap-3">
      <Plan of={of} write={write} />
      <Strips of={of} write={write} />
    </div>
  );
}

function Plan({ of, write }: { of: Wandering; write: (metres: number) => string }) {
  const centre = SIZE / 2;
  const farthest = Math.max(of.accuracyM, ...of.eastM.map((east, n) => Math.hypot(east, of.northM[n] ?? 0)));
  const scale = (centre - 22) / Math.max(farthest, 1e-3);
  const path = of.eastM.map((east, n) => `${n ? "L" : "M"}${(centre + east * scale).toFixed(1)} ${(centre - (of.northM[n] ?? 0) * scale).toFixed(1)}`);
  return (
    <svg viewBox={`0 0 ${SIZE} ${SIZE}`} className="w-full" role="img" aria-label="Wander of the position, seen from above">
      <circle
        cx={centre}
        cy={centre}
        r={of.accuracyM * scale}
        fill="var(--flagwash)"
        stroke="var(--flag)"
        strokeWidth="2"
        strokeDasharray="7 5"
      />
      <path d={path.join("")} fill="none" stroke="var(--ink)" strokeWidth="1.2" strokeLinejoin="round" />
      {of.precisionM !== null && (
        <circle cx={centre} cy={centre} r={Math.max(of.precisionM * scale, 2.5)} fill="none" stroke="var(--checked)" strokeWidth="3" />
      )}
      <text x={centre} y={16} fontSize="15" textAnchor="middle" fill="var(--flag)" fontWeight="700">
        true place within {write(of.accuracyM)}, 95 %
      </text>
      <text x={centre} y={SIZE - 4} fontSize="15" textAnchor="middle" fill="var(--checked)" fontWeight="700">
        {of.precisionM === null ? "too few to tell the noise of the mean" : `noise of the mean ${write(of.precisionM)}`}
      </text>
    </svg>
  );
}

/** East, north and up − mean over time, all on one scale, with its line written once. */
function Strips({ of, write }: { of: Wandering; write: (metres: number) => string }) {
  const rows = [
    { name: "east", values: of.eastM },
    { name: "north", values: of.northM },
    { name: "up", values: of.upM },
  ];
  const most = Math.max(1e-3, ...rows.flatMap((row) => row.values.map(Math.abs)));
  const line = MOST_STRIP_LINES.find((value) => value <= most) ?? most;
  const [first, last] = [of.timeS[0] ?? 0, of.timeS[of.timeS.length - 1] ?? 1];
  const x = (time: number) => 44 + ((time - first) / Math.max(last - first, 1e-6)) * (SIZE - 50);
  const half = 40;
  return (
    <svg viewBox={`0 0 ${SIZE} ${SIZE}`} className="w-full" role="img" aria-label="Wander of the position over time">
      <text x={SIZE - 6} y="14" fontSize="13" textAnchor="end" fill="var(--faded)">
        from the mean; dashed: ±{write(line)}
      </text>
      {rows.map((row, n) => {
        const middle = 66 + n * 92;
        const y = (metres: number) => middle - (metres / most) * half;
        return (
          <g key={row.name}>
            <path d={`M44 ${middle}H${SIZE - 6}`} stroke="var(--line)" strokeWidth="2" />
            {[line, -line].map((at) => (
              <path key={at} d={`M44 ${y(at)}H${SIZE - 6}`} stroke="var(--line)" strokeDasharray="3 4" />
            ))}
            <text x="40" y={middle + 5} fontSize="15" textAnchor="end" fill="var(--ink)">
              {row.name}
            </text>
            <path
              d={row.values.map((value, at) => `${at ? "L" : "M"}${x(of.timeS[at] ?? 0).toFixed(1)} ${y(value).toFixed(1)}`).join("")}
              fill="none"
              stroke="var(--ink)"
              strokeWidth="1.3"
            />
          </g>
        );
      })}
    </svg>
  );
}
