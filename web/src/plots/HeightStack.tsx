export interface Stack {
  arpHeightM: number;
  /** How far the ARP lies above the feature that was measured. */
  featureToArpM: number;
  rimRadiusM: number;
  slant: boolean;
  /** How far the phase centre lies above the ARP; null where the kit does not know it. */
  phaseCentreUpM: number | null;
}

const WIDTH = 380;
const HEIGHT = 190;
const GROUND = 168;
const TOP = 16;
const AXIS = 96;
const LINE_PX = 19;

/** The height stack over a mark, drawn to scale: mark, measured feature, ARP, phase centre. Lengths come from the server. */
export function HeightStack(props: { stack: Stack; reading: string; arp: string; toFeature: string; toPhaseCentre: string }) {
  const { stack } = props;
  const highest = stack.arpHeightM + Math.max(stack.phaseCentreUpM ?? 0, 0.04);
  const scale = (GROUND - TOP) / Math.max(highest, 0.3);
  const y = (metres: number) => GROUND - metres * scale;
  const arp = y(stack.arpHeightM);
  const feature = y(stack.arpHeightM - stack.featureToArpM);
  const centre = stack.phaseCentreUpM === null ? null : y(stack.arpHeightM + stack.phaseCentreUpM);
  const rim = Math.max(stack.rimRadiusM * scale, 12);
  const dome = Math.max(arp - (centre ?? arp), 0) + 10;
  const labels = apart([
    ...(centre === null ? [] : [{ at: centre, text: `phase centre ${props.toPhaseCentre}`, bold: false }]),
    { at: arp, text: `ARP ${props.arp}`, bold: true },
    ...(Math.abs(stack.featureToArpM) < 0.0005 ? [] : [{ at: feature, text: `measured to, ${props.toFeature}`, bold: false }]),
    { at: GROUND + 9, text: "mark", bold: false },
  ]);
  return (
    <svg viewBox={`0 0 ${WIDTH} ${HEIGHT}`} className="h-full w-full" role="img" aria-label={`ARP ${props.arp} above the mark, to scale`}>
      <path d={`M10 ${GROUND + 3}H${WIDTH - 10}v14H10z`} fill="var(--lath)" opacity="0.5" />
      <path d={`M10 ${GROUND}H${WIDTH - 10}`} stroke="var(--grain)" strokeWidth="3" />
      <path
        d={`M${AXIS} ${arp + 8}L${AXIS - 62} ${GROUND}M${AXIS} ${arp + 8}L${AXIS + 54} ${GROUND}M${AXIS} ${arp + 8}L${AXIS - 14} ${GROUND}`}
        stroke="var(--grain)"
        strokeWidth="4.5"
        fill="none"
      />
      <path d={`M${AXIS - 20} ${arp}v-${dome / 2}q0-${dome / 2} 20-${dome / 2}t20 ${dome / 2}v${dome / 2}z`} fill="var(--ink)" />
      <path d={`M${AXIS - rim} ${feature}h${2 * rim}`} stroke="var(--ink)" strokeWidth="4" />
      {centre !== null && <circle cx={AXIS} cy={centre} r="2.5" fill="var(--page)" />}
      <path d={`M${AXIS - 8} ${GROUND}l8 13l8-13z`} fill="var(--flag)" />
      {/* what was measured */}
      <path d={stack.slant ? `M${AXIS} ${GROUND}L${AXIS + rim} ${feature}` : `M${AXIS} ${GROUND}V${feature}`} stroke="var(--flag)" strokeWidth="3.5" />
      <text x={AXIS + 80} y={(GROUND + Math.max(feature, TOP + 3 * LINE_PX)) / 2 + 5} fontSize="16" fill="var(--flag)" fontWeight="700">
        {props.reading}
      </text>
      {labels.map((label) => (
        <g key={label.text}>
          <path d={`M${AXIS + 26} ${label.at}L${AXIS + 66} ${label.y}H${AXIS + 74}`} fill="none" stroke="var(--faded)" strokeDasharray="4 3" />
          <text x={AXIS + 80} y={label.y + 5} fontSize={label.bold ? 19 : 15} fontWeight={label.bold ? 800 : 500} fill="var(--ink)">
            {label.text}
          </text>
        </g>
      ))}
    </svg>
  );
}

interface Labelled {
  at: number;
  text: string;
  bold: boolean;
}

/** Push labels apart from the top down, so that none covers another. */
function apart(labels: Labelled[]): (Labelled & { y: number })[] {
  const sorted = [...labels].sort((a, b) => a.at - b.at);
  const placed = sorted.map((label) => ({ ...label, y: Math.max(label.at, TOP - 6) }));
  for (let n = 1; n < placed.length; n += 1) placed[n]!.y = Math.max(placed[n]!.y, placed[n - 1]!.y + LINE_PX);
  return placed;
}
