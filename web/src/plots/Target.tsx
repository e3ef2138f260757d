/** A check on a target: north up, tolerance ring, expected 95 % ellipse, this shot and earlier ones; height beside it. */
export interface Shot {
  id: string;
  eastM: number;
  northM: number;
  upM: number | null;
}

interface TargetProps {
  shot: Shot | null;
  earlier: Shot[];
  horizontalAgrees: boolean;
  verticalAgrees: boolean;
  toleranceM: number;
  toleranceUpM: number;
  /** The expected 95 % ellipse: semi-axes, azimuth of the major one from grid north. */
  expected: { major_m: number; minor_m: number; orientation_deg: number };
  write: (metres: number) => string;
  /** What it shows, in words. */
  words: string;
}

export function Target(props: TargetProps) {
  const all = props.shot ? [props.shot, ...props.earlier] : props.earlier;
  const farthest = Math.max(props.toleranceM, ...all.map((shot) => Math.hypot(shot.eastM, shot.northM)));
  const reach = farthest * 1.25;
  const scale = 180 / reach;
  const highest = Math.max(props.toleranceUpM, ...all.map((shot) => Math.abs(shot.upM ?? 0))) * 1.25;
  const upScale = 180 / highest;
  const centre = 200;
  return (
    <svg viewBox="0 0 520 400" className="h-full w-full" role="img" aria-label={props.words}>
      <circle cx={centre} cy={centre} r={props.toleranceM * scale} fill="var(--checkedwash)" stroke="var(--checked)" strokeWidth="2.5" />
      <path d={`M${centre} 10V390M10 ${centre}H390`} stroke="var(--line)" />
      <text x={centre + 6} y="22" fontSize="22" fill="var(--faded)">
        north
      </text>
      <text x={centre + 4} y={centre + props.toleranceM * scale + 18} fontSize="20" fill="var(--checked)">
        {props.write(props.toleranceM)}
      </text>
      <ellipse
        cx={centre}
        cy={centre}
        rx={props.expected.minor_m * scale}
        ry={props.expected.major_m * scale}
        transform={`rotate(${props.expected.orientation_deg} ${centre} ${centre})`}
        fill="none"
        stroke="var(--grain)"
        strokeWidth="2"
        strokeDasharray="7 5"
      />
      {props.earlier.map((shot) => (
        <circle key={shot.id} cx={centre + shot.eastM * scale} cy={centre - shot.northM * scale} r="5" fill="none" stroke="var(--faded)" strokeWidth="2" />
      ))}
      {props.shot && (
        <path
          d={`M${centre + props.shot.eastM * scale - 9} ${centre - props.shot.northM * scale}h18m-9-9v18`}
          stroke={props.horizontalAgrees ? "var(--ink)" : "var(--flag)"}
          strokeWidth="4"
        />
      )}
      <UpScale {...props} centre={centre} upScale={upScale} />
    </svg>
  );
}

/** The height of the shot beside the target: tolerance, and how far up or down it is. */
function UpScale(props: TargetProps & { centre: number; upScale: number }) {
  const { centre, upScale } = props;
  return (
    <>
        <path d={`M450 20V380`} stroke="var(--line)" strokeWidth="2" />
        <rect x="432" width="36" y={centre - props.toleranceUpM * upScale} height={2 * props.toleranceUpM * upScale} fill="var(--checkedwash)" stroke="var(--checked)" strokeWidth="2.5" />
        <path d="M425 200H475" stroke="var(--line)" strokeWidth="2" />
        <text x="450" y="18" fontSize="22" textAnchor="middle" fill="var(--faded)">
          high
        </text>
        <text x="450" y="398" fontSize="22" textAnchor="middle" fill="var(--faded)">
          low
        </text>
        {props.shot?.upM != null && (
          <path d={`M420 ${centre - props.shot.upM * upScale}h60`} stroke={props.verticalAgrees ? "var(--ink)" : "var(--flag)"} strokeWidth="6" />
        )}
    </>
  );
}
