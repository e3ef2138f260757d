/** The height stack over a mark, drawn to scale: mark, measured feature, ARP. Lengths come from the server. */
export function HeightStack(props: {
  arpHeightM: number;
  featureToArpM: number;
  rimRadiusM: number;
  slant: boolean;
  arpText: string;
}) {
  const top = 30;
  const ground = 400;
  const scale = (ground - top - 40) / Math.max(props.arpHeightM, 0.3);
  const arp = ground - props.arpHeightM * scale;
  const feature = arp + props.featureToArpM * scale;
  const rim = Math.max(props.rimRadiusM * scale, 34);
  const axis = 130;
  return (
    <svg viewBox="0 0 440 440" className="h-full w-full" role="img" aria-label={`ARP ${props.arpText} above the mark`}>
      <path d={`M20 ${ground}H420`} stroke="var(--grain)" strokeWidth="3" />
      <path d={`M30 ${ground + 4}h380v18h-380z`} fill="var(--lath)" opacity="0.5" />
      {/* tripod */}
      <path
        d={`M${axis} ${arp + 14}L${axis - 110} ${ground}M${axis} ${arp + 14}L${axis + 95} ${ground}M${axis} ${arp + 14}L${axis - 20} ${ground}`}
        stroke="var(--grain)"
        strokeWidth="7"
        fill="none"
      />
      {/* antenna */}
      <path d={`M${axis - rim} ${feature}h${2 * rim}`} stroke="var(--ink)" strokeWidth="4" />
      <path d={`M${axis - 34} ${arp}v-16q0-16 34-16t34 16v16z`} fill="var(--ink)" />
      {/* mark */}
      <path d={`M${axis - 7} ${ground}l7 12l7-12z`} fill="var(--flag)" />
      {/* what was measured */}
      {props.slant ? (
        <path d={`M${axis} ${ground}L${axis + rim} ${feature}`} stroke="var(--flag)" strokeWidth="3" />
      ) : (
        <path d={`M${axis} ${ground}V${feature}`} stroke="var(--flag)" strokeWidth="3" />
      )}
      {/* ARP */}
      <path d={`M${axis + 50} ${arp}H420`} stroke="var(--ink)" strokeDasharray="5 4" />
      <path d={`M380 ${ground}V${arp}`} stroke="var(--ink)" strokeWidth="2" />
      <path d={`M374 ${arp + 10}l6-10l6 10M374 ${ground - 10}l6 10l6-10`} fill="none" stroke="var(--ink)" strokeWidth="2" />
      <text x="362" y={(arp + ground) / 2} textAnchor="end" fontSize="30" fontWeight="800" fill="var(--ink)">
        {props.arpText}
      </text>
      <text x="362" y={(arp + ground) / 2 + 24} textAnchor="end" fontSize="16" fill="var(--faded)">
        mark to ARP
      </text>
    </svg>
  );
}
