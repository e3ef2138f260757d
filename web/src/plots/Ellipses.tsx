import type { Schemas } from "../api/client";

type Ellipse = Schemas["Ellipse95"];

/** Two 95 % ellipses about one point, north up: what is claimed (dashed) and what is seen (filled). */
export function Ellipses({ claimed, seen, bad, words }: { claimed: Ellipse | null; seen: Ellipse | null; bad: boolean; words: string }) {
  const reach = Math.max(1e-6, claimed?.major_m ?? 0, seen?.major_m ?? 0) * 1.15;
  const tone = bad ? "var(--flag)" : "var(--checked)";
  const place = (ellipse: Ellipse) => ({
    rx: (ellipse.minor_m / reach) * 40,
    ry: (ellipse.major_m / reach) * 40,
    transform: `rotate(${ellipse.orientation_deg})`,
  });
  return (
    <svg viewBox="-44 -44 88 88" className="h-20 w-20 shrink-0" role="img" aria-label={words}>
      <path d="M0 -42V42M-42 0H42" stroke="var(--line)" />
      {seen && <ellipse {...place(seen)} fill={tone} fillOpacity="0.25" stroke={tone} strokeWidth="2.5" />}
      {claimed && <ellipse {...place(claimed)} fill="none" stroke="var(--ink)" strokeWidth="2" strokeDasharray="5 4" />}
    </svg>
  );
}
