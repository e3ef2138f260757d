/** A pole from above, its label at the top of the picture: where its head stands over its foot, and what chance gives. */
export function PoleTop(props: { leanM: number; sideDeg: number; limitM: number; bad: boolean }) {
  const reach = 1.3 * Math.max(props.leanM, props.limitM, 0.001);
  const scale = 62 / reach;
  const turn = (props.sideDeg * Math.PI) / 180;
  const [x, y] = [80 + props.leanM * scale * Math.sin(turn), 84 - props.leanM * scale * Math.cos(turn)];
  const colour = props.bad ? "var(--flag)" : "var(--checked)";
  return (
    <svg viewBox="0 0 160 160" className="w-full" role="img" aria-label="Pole from above">
      <path d="M66 6h28v12h-28z" fill="var(--lath)" stroke="var(--ink)" />
      <text x="80" y="16" fontSize="10" textAnchor="middle" fill="var(--ink)">
        label
      </text>
      <circle cx="80" cy="84" r={props.limitM * scale} fill="var(--checkedwash)" stroke="var(--grain)" strokeWidth="1.5" strokeDasharray="5 4" />
      <path d="M73 84h14M80 77v14" stroke="var(--ink)" strokeWidth="2" />
      <path d={`M80 84L${x} ${y}`} stroke={colour} strokeWidth="4" />
      <circle cx={x} cy={y} r="8" fill={colour} />
    </svg>
  );
}
